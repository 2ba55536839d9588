#include "assay/relink/program_files.hpp"

#include <filesystem>

#include "assay/measure/digest.hpp"
#include "assay/measure/file_io.hpp"
#include "assay/model/error.hpp"

namespace assay::relink {
namespace fs = std::filesystem;

std::string links_in(const std::string& folder) { return folder + "/links"; }
std::string layouts_in(const std::string& folder) { return folder + "/layouts"; }

std::string back_up_original(const std::string& folder, const std::string& program) {
  const auto own = fs::path(folder) / "own" / measure::digest_of(program).substr(0, 16);
  std::error_code failed;
  if (fs::exists(own, failed)) return own.string();
  fs::create_directories(own.parent_path(), failed);
  if (!failed && !measure::write_file(own.string() + ".path", program))
    failed = std::make_error_code(std::errc::no_space_on_device);
  if (!failed) fs::create_hard_link(program, own, failed);
  if (failed)
    throw Error("the program can't be kept: " + failed.message(), own.string(), "make room there",
                Error::Code::measuring);
  return own.string();
}

void install(const std::string& file, const std::string& program) {
  const auto draft = program + ".assay";
  std::error_code failed;
  if (fs::equivalent(file, program, failed)) return;
  fs::remove(draft, failed);
  fs::create_hard_link(file, draft, failed);
  if (!failed) fs::rename(draft, program, failed);
  if (failed)
    throw Error("a layout can't be put in place: " + failed.message(), program, "make room there",
                Error::Code::measuring);
}

void restore_originals(const std::string& folder) {
  std::error_code failed;
  for (fs::directory_iterator at(fs::path(folder) / "own", failed), end; !failed && at != end;
       at.increment(failed)) {
    if (at->path().extension() == ".path") continue;
    const auto program = measure::content_of(at->path().string() + ".path");
    if (program.empty()) continue;
    try {
      install(at->path().string(), program);
    } catch (const Error&) {
      continue;
    }
  }
}

}  // namespace assay::relink
