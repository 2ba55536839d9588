// For scripts/fuzz.sh: whatever the bytes, the plan reader reads a plan or says what is wrong with it, and a
// plan that it took reads back the same from what it is written as.

#include <cstddef>
#include <cstdint>
#include <cstdlib>
#include <string>

#include "assay/model/error.hpp"
#include "assay/plan/cells.hpp"
#include "assay/plan/plan_file.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* bytes, std::size_t size) {
  const std::string text(reinterpret_cast<const char*>(bytes), size);
  try {
    const auto plan = assay::plan::read(text, "fuzz.toml", "/canal");
    const auto written = assay::plan::to_toml(plan);
    if (!(assay::plan::read(written, "written.toml", "/canal") == plan)) std::abort();
  } catch (const assay::Error&) {
  }
  return 0;
}
