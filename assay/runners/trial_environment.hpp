#pragma once

#include <optional>
#include <stop_token>
#include <string>

#include "assay/measure/process.hpp"
#include "assay/model/log.hpp"
#include "assay/model/plan.hpp"

namespace assay::runners {

/// What is done around a trial, untimed: a fresh working directory, files dropped from the page cache, the
/// steps before and after. To be made before the trial and ended after it, whatever its result.
class TrialEnvironment {
 public:
  /// `folder` is the plan's: relative paths start there.
  TrialEnvironment(measure::Launcher& launcher, Control control, const std::string& folder);
  ~TrialEnvironment();
  TrialEnvironment(const TrialEnvironment&) = delete;
  TrialEnvironment& operator=(const TrialEnvironment&) = delete;

  /// Makes ready; returns why it could not, in words.
  std::optional<std::string> begin(const std::stop_token& stop);

  /// Runs the step that comes after, also when the trial was stopped; returns why it failed.
  std::optional<std::string> end();

  /// Where the trial runs.
  const std::string& directory() const { return directory_; }
  /// The largest share of a cold file that stayed in the page cache.
  double warm_page_share() const { return kept_warm_; }

 private:
  std::optional<std::string> run(const Hook& step, const char* name, const std::stop_token& stop);

  measure::Launcher& launcher_;
  Control control_;
  std::string folder_, directory_;
  double kept_warm_ = 0;
  bool begun_ = false;
};

/// Sleeps for so many seconds; false when it was stopped meanwhile.
bool sleep_for(double seconds, const std::stop_token& stop);

/// The last lines of a program's stderr, made safe to print, each after a line break.
std::string stderr_tail(const measure::ProcessResult& result);

/// The exit status by which a program says that it does not support what is asked.
constexpr int not_here = 77;
/// Whether a failed trial ended with that status; it is absent then.
bool mark_unsupported(Trial& trial);

/// Fills what is known only when a trial begins: `${port}`, `given` or else a free one, for the command, its
/// environment and the steps around it; it is returned. Does nothing where none is waited for. Throws
/// Error(measuring) when there is no port.
std::optional<int> bind_port(measure::Command& command, Control& control, std::optional<int> given = {});

}  // namespace assay::runners
