#include <algorithm>
#include <filesystem>
#include <vector>

#include "assay/build/repository.hpp"
#include "assay/measure/file_io.hpp"
#include "assay/model/error.hpp"

namespace assay::build {

namespace fs = std::filesystem;
namespace {

bool belongs(const fs::path& path) { return path.filename() != ".git" && path.filename() != ".assay"; }

/// Every file and link below a folder, relative to it, in a fixed order.
std::vector<fs::path> files_below(const fs::path& folder) {
  std::vector<fs::path> files;
  for (auto at = fs::recursive_directory_iterator(folder); at != fs::recursive_directory_iterator(); ++at) {
    if (!belongs(at->path())) {
      at.disable_recursion_pending();
      continue;
    }
    if (at->is_symlink() || at->is_regular_file()) files.push_back(fs::relative(at->path(), folder));
  }
  std::ranges::sort(files);
  return files;
}

}  // namespace

Source find_folder(const std::string& folder) {
  if (std::error_code failed; !fs::is_directory(folder, failed))
    throw Error("there is no such folder", folder, "source names the folder of a candidate's source");
  try {
    std::string content;
    for (const auto& file : files_below(folder)) {
      const auto path = fs::path(folder) / file;
      const bool link = fs::is_symlink(path);
      content += file.string() + '\0' +
                 (link ? "-> " + fs::read_symlink(path).string() : measure::digest_of_file(path.string())) +
                 '\0' +
                 std::to_string(static_cast<unsigned>(fs::symlink_status(path).permissions()) & 0111U) + '\n';
    }
    return {.tree = measure::digest_of(content), .folder = folder};
  } catch (const fs::filesystem_error& error) {
    throw Error("the source can't be read: " + error.code().message(), error.path1().string());
  }
}

void copy_folder(const Source& source, const std::string& to) {
  try {
    fs::remove_all(to);
    fs::create_directories(to);
    for (const auto& file : files_below(source.folder)) {
      const auto target = fs::path(to) / file;
      fs::create_directories(target.parent_path());
      fs::copy(fs::path(source.folder) / file, target, fs::copy_options::copy_symlinks);
    }
  } catch (const fs::filesystem_error& error) {
    throw Error("the source can't be copied: " + error.code().message(), error.path1().string());
  }
}

}  // namespace assay::build
