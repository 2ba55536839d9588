#include "assay/relink/shim_folder.hpp"

#include <unistd.h>

#include <cstdlib>
#include <filesystem>
#include <fstream>

#include "assay/measure/digest.hpp"
#include "assay/model/error.hpp"

extern const char assay_shim_image[];
extern const char assay_shim_image_end[];

namespace assay::relink {
namespace fs = std::filesystem;

std::string shim_folder(const std::string& folder) {
  const std::string image(assay_shim_image, assay_shim_image_end);
  const auto place = fs::absolute(folder) / measure::digest_of(image).substr(0, 12);
  std::error_code failed;
  if (fs::exists(place, failed)) return place.string();
  // Made aside and put in its place at once, since others may be at it too.
  const auto draft = fs::path(place.string() + "." + std::to_string(getpid()));
  fs::create_directories(draft, failed);
  const auto first = draft / "ld";
  std::ofstream(first, std::ios::binary) << image;
  if (!failed) fs::permissions(first, fs::perms{0755}, failed);
  for (const char* name : {"ld.bfd", "ld.gold", "ld.lld", "cc1", "cc1plus", "cc1obj", "cc1objplus", "lto1",
                           "f951", "gnat1", "d21"})
    if (!failed) fs::create_hard_link(first, draft / name, failed);
  if (!failed) {
    fs::rename(draft, place, failed);
    if (failed && fs::exists(place)) failed.clear();
  }
  if (failed)
    throw Error("the linker's stand-in can't be written: " + failed.message(), place.string(),
                "make room there, or build without relink");
  std::error_code ignored;
  fs::remove_all(draft, ignored);
  return place.string();
}

std::vector<std::string> capturing_environment(const std::string& shim, const std::string& links) {
  const auto in_front = [&](const char* name) {
    const char* before = std::getenv(name);
    return std::string(name) + "=" + shim + (before != nullptr && *before != '\0' ? ":" : "") +
           (before != nullptr ? before : "");
  };
  // A compiler cache must not take up objects that were compiled with an option nobody gave.
  return {in_front("COMPILER_PATH"),
          in_front("PATH"),
          "ASSAY_LINKS=" + links,
          "ASSAY_SECTIONS=1",
          "CCC_OVERRIDE_OPTIONS=# +-ffunction-sections",
          "CCACHE_DISABLE=1"};
}

}  // namespace assay::relink
