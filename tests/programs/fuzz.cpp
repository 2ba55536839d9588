// For scripts/fuzz.sh: feeds one reader, which FUZZ_READER names.

#include <cstddef>
#include <cstdint>
#include <cstdlib>

#include "programs/readers.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* bytes, std::size_t size) {
  static const auto reader = [] {
    const char* name = std::getenv("FUZZ_READER");
    return assay::test::readers().at(name == nullptr ? "plan" : name);
  }();
  assay::test::read_with(reader, {reinterpret_cast<const char*>(bytes), size});
  return 0;
}
