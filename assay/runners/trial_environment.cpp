#include "assay/runners/trial_environment.hpp"

#include <algorithm>
#include <chrono>
#include <condition_variable>
#include <cstring>
#include <filesystem>
#include <mutex>
#include <string>
#include <vector>

#include "assay/measure/file_io.hpp"
#include "assay/measure/program_file.hpp"
#include "assay/model/error.hpp"
#include "assay/model/text.hpp"
#include "assay/plan/cells.hpp"

namespace assay::runners {

namespace fs = std::filesystem;

TrialEnvironment::TrialEnvironment(measure::Launcher& launcher, Control control, const std::string& folder)
    : launcher_(launcher), control_(std::move(control)), folder_(folder), directory_(folder) {}

TrialEnvironment::~TrialEnvironment() {
  if (begun_) end();
}

std::optional<std::string> TrialEnvironment::begin(const std::stop_token& stop) {
  begun_ = true;
  if (control_.fresh) {
    std::string name = (fs::temp_directory_path() / "assay-trial-XXXXXX").string();
    if (mkdtemp(name.data()) == nullptr)
      return "no fresh working directory can be made: " + std::string(std::strerror(errno));
    directory_ = name;
  }
  if (auto problem = run(control_.before, "before", stop)) return problem;
  for (const auto& file : control_.cold) try {
      kept_warm_ = std::max(kept_warm_, measure::drop_from_cache((fs::path(folder_) / file).string()));
    } catch (const Error& error) {
      return error.place() + ": " + error.problem();
    }
  return {};
}

std::optional<std::string> TrialEnvironment::end() {
  begun_ = false;
  auto problem = run(control_.after, "after", {});
  if (directory_ != folder_) {
    std::error_code ignored;
    fs::remove_all(directory_, ignored);
  }
  return problem;
}

std::optional<std::string> TrialEnvironment::run(const Hook& step, const char* name,
                                                 const std::stop_token& stop) {
  if (step.run.empty()) return {};
  const auto title = "its step " + std::string(name);
  measure::Command command{.arguments = step.run, .directory = directory_, .timeout = step.timeout};
  command.environment = control_.environment;
  try {
    command.program = measure::find_program(step.run.front(), folder_);
  } catch (const Error& error) {
    return title + ": " + error.place() + ": " + error.problem();
  }
  const auto result = launcher_.run(command, stop);
  if (result.not_started) return title + ": " + *result.not_started;
  if (result.lost) return title + ": " + *result.lost;
  if (result.interrupted) return title + " was interrupted";
  if (result.timed_out) return title + " took longer than its time limit of " + duration_text(step.timeout);
  if (result.signal != 0)
    return title + " ended by signal " + std::to_string(result.signal) + stderr_tail(result);
  if (result.exit_status != 0)
    return title + " ended with exit status " + std::to_string(result.exit_status) + stderr_tail(result);
  return {};
}

bool sleep_for(double seconds, const std::stop_token& stop) {
  std::mutex guard;
  std::condition_variable_any woken;
  std::unique_lock lock(guard);
  woken.wait_for(lock, stop, std::chrono::duration<double>(seconds), [] { return false; });
  return !stop.stop_requested();
}

std::string stderr_tail(const measure::ProcessResult& result) {
  constexpr std::size_t most_bytes = 2000;
  return result.err ? last_lines(result.err->tail(most_bytes)) : std::string{};
}

bool mark_unsupported(Trial& trial) {
  if (trial.outcome != Outcome::failed || trial.exit_status != not_here) return false;
  trial.outcome = Outcome::unsupported;
  trial.detail = "says that it does not support this (exit status " + std::to_string(not_here) + ")";
  return true;
}

std::optional<int> bind_port(measure::Command& command, Control& control, std::optional<int> given) {
  std::vector<std::vector<std::string>*> lists = {&command.arguments, &control.before.run,
                                                  &control.after.run};
  if (command.environment) lists.push_back(&*command.environment);
  if (control.environment) lists.push_back(&*control.environment);
  const auto waits = [](const std::string& text) { return plan::is_unbound(text, "port"); };
  if (std::ranges::none_of(lists, [&](const auto* list) { return std::ranges::any_of(*list, waits); }))
    return {};
  const int port = given ? *given : measure::free_port();
  for (auto* list : lists)
    for (auto& text : *list) text = plan::bind_placeholders(std::move(text), "port", std::to_string(port));
  return port;
}

}  // namespace assay::runners
