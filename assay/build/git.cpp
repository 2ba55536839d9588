#include <fcntl.h>
#include <sys/file.h>
#include <unistd.h>

#include <chrono>
#include <filesystem>
#include <string_view>
#include <thread>
#include <utility>

#include "assay/build/repository.hpp"
#include "assay/measure/program_file.hpp"
#include "assay/model/error.hpp"
#include "assay/model/own_files.hpp"

namespace assay::build {

measure::Descriptor lock_file(const std::string& path, const std::stop_token& stop) {
  measure::Descriptor file(open_own(path, O_RDWR | O_CREAT));
  if (!file) throw Error("the cache can't be written here", path, "look at the folder's permissions");
  while (flock(file.get(), LOCK_EX | LOCK_NB) != 0) {
    if (stop.stop_requested()) throw Cancelled{};
    std::this_thread::sleep_for(std::chrono::milliseconds(50));
  }
  return file;
}

std::vector<std::string> environment_without_git() {
  std::vector<std::string> names;
  for (char** entry = environ; entry != nullptr && *entry != nullptr; ++entry) {
    const std::string_view variable = *entry;
    const auto name = variable.substr(0, variable.find('='));
    const bool of_connection = name.starts_with("GIT_SSH") || name == "GIT_ASKPASS";
    if (!name.empty() && (!name.starts_with("GIT_") || of_connection)) names.emplace_back(name);
  }
  return names;
}

Git::Git(measure::Launcher& launcher, std::stop_token stop)
    : launcher_(launcher), stop_(std::move(stop)), program_(measure::find_program("git", ".")) {}

Git::Result Git::run(const std::string& folder, const std::vector<std::string>& arguments,
                     const std::vector<std::string>& environment) {
  measure::Command command{.program = program_, .arguments = {"git"}, .directory = folder, .timeout = 3600};
  // What a repository's own configuration could have run, or take from elsewhere, is switched off.
  for (const char* setting :
       {"core.hooksPath=/dev/null", "core.fsmonitor=false", "advice.detachedHead=false",
        "protocol.file.allow=always", "protocol.ext.allow=never", "gc.auto=0", "maintenance.auto=false"})
    command.arguments.insert(command.arguments.end(), {"-c", setting});
  command.arguments.insert(command.arguments.end(), arguments.begin(), arguments.end());
  command.environment = environment_without_git();
  command.environment->insert(command.environment->end(),
                              {"LC_ALL=C", "GIT_TERMINAL_PROMPT=0", "GIT_OPTIONAL_LOCKS=0"});
  command.environment->insert(command.environment->end(), environment.begin(), environment.end());
  const auto result = launcher_.run(command, stop_);
  if (result.interrupted) throw Cancelled{};
  if (result.not_started) throw Error("git could not be started: " + *result.not_started, folder);
  if (result.lost) throw Error("git was cut off: " + *result.lost, folder, {}, Error::Code::measuring);
  const auto whole = [](const measure::Capture& capture) {
    std::string text(capture.head());
    while (!text.empty() && text.back() == '\n') text.pop_back();
    return text;
  };
  return {result.signal != 0 ? 128 + result.signal : result.exit_status, whole(*result.out),
          whole(*result.err)};
}

std::string Git::text(const std::string& folder, const std::vector<std::string>& arguments,
                      const std::vector<std::string>& environment) {
  auto result = run(folder, arguments, environment);
  if (result.status == 0) return std::move(result.out);
  constexpr std::size_t enough = 400;
  const auto tail =
      result.err.size() > enough ? "…" + result.err.substr(result.err.size() - enough) : result.err;
  throw Error("git " + arguments.front() + " failed: " + tail, folder);
}

bool Git::is_tracked(const std::string& folder) {
  const std::filesystem::path path(folder);
  const auto listed = run(path.parent_path().empty() ? "." : path.parent_path().string(),
                          {"ls-files", "--cached", "--", path.filename().string()});
  return listed.status == 0 && !listed.out.empty();
}

}  // namespace assay::build
