#include "assay/measure/find_program.hpp"

#include <unistd.h>

#include <cstdlib>
#include <filesystem>
#include <sstream>

#include "assay/model/error.hpp"

namespace assay::measure {
namespace fs = std::filesystem;
namespace {

bool executable(const fs::path& path) {
  std::error_code ignored;
  return fs::is_regular_file(path, ignored) && access(path.c_str(), X_OK) == 0;
}

fs::path absolute_in(const std::string& name, const std::string& folder) {
  return fs::absolute(fs::path(folder) / name).lexically_normal();
}

}  // namespace

std::string find_program(const std::string& name, const std::string& folder) {
  if (name.find('/') != std::string::npos) {
    const auto path = absolute_in(name, folder);
    std::error_code ignored;
    if (executable(path)) return path.string();
    if (!fs::exists(path, ignored))
      throw Error("there is no such program", name, "is it built, and is the path right?");
    if (fs::is_directory(path, ignored)) throw Error("this is a folder, not a program", name);
    throw Error("this file is not executable", name, "if it is a program, chmod +x it");
  }
  const char* list = std::getenv("PATH");
  std::istringstream folders(list != nullptr ? list : "/usr/local/bin:/usr/bin:/bin");
  for (std::string part; std::getline(folders, part, ':');)
    if (const auto path = absolute_in(name, part.empty() ? "." : part); !name.empty() && executable(path))
      return path.string();
  std::error_code ignored;
  throw Error("there is no program of this name in PATH", name.empty() ? "\"\"" : name,
              fs::exists(fs::path(folder) / name, ignored) && !name.empty()
                  ? "write ./" + name + " for the one in this folder"
                  : "a path with a slash in it is taken as it is");
}

std::string find_readable(const std::string& name, const std::string& folder) {
  const auto path = absolute_in(name, folder);
  std::error_code ignored;
  if (!fs::exists(path, ignored)) throw Error("there is no such file", name, "is the path right?");
  if (fs::is_directory(path, ignored)) throw Error("this is a folder, not a file", name);
  if (access(path.c_str(), R_OK) != 0)
    throw Error("this file can't be read", name, "look at its permissions");
  return path.string();
}

std::string find_input(const std::string& name, const std::string& folder) {
  auto path = find_readable(name, folder);
  std::error_code ignored;
  if (fs::is_fifo(path, ignored) || fs::is_socket(path, ignored))
    throw Error("this is a pipe, whose content can be read once only", name,
                "put the content into a file: every run reads it anew");
  return path;
}

}  // namespace assay::measure
