#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

#include "assay/measure/capture.hpp"

namespace assay::measure {

/// A program to be run once.
struct Command {
  std::string program;                 ///< path that is executed; see find_program
  std::vector<std::string> arguments;  ///< all of them, the program's name first
  std::string directory = ".";         ///< working directory
  std::string stdin_file;              ///< empty: nothing to read
  double timeout = 600;                ///< seconds until TERM (and CONT) to everything it started
  double grace = 2;                    ///< seconds from then until KILL
};

/// How one run went. Times in seconds, memory in bytes.
struct ProcessResult {
  /// Why it could not be started, in words; everything below is then meaningless.
  std::optional<std::string> not_started;

  int exit_status = 0;  ///< 0 when it ended by a signal
  int signal = 0;       ///< 0 when it ended by itself
  bool timed_out = false, interrupted = false;

  double wall = 0;              ///< from just before it was made until its end was known, monotonic clock
  double user = 0, system = 0;  ///< with all descendants that ended, adopted orphans included
  double peak_memory = 0;       ///< of the largest process
  int leftovers = 0;            ///< descendants still running at its end; they were killed

  std::unique_ptr<Capture> out, err;
};

/// Runs programs through the launcher process, which is started with the first of them and ended with this
/// object. When it returns, nothing that the program started is left running.
///
/// One run at a time; not to be called from several threads at once. Installs no signal handler and reaps no
/// child but the launcher. Cost of a run beyond the program's own: about 20 µs.
class Launcher {
 public:
  /// Throws Error(measuring) when the launcher can't be started.
  Launcher();
  ~Launcher();
  Launcher(const Launcher&) = delete;
  Launcher& operator=(const Launcher&) = delete;

  /// Runs `command` to its end, its time limit, or a stop request. Throws Error(measuring) when the launcher
  /// itself is gone; the next call starts a new one.
  ProcessResult run(const Command& command, const std::stop_token& stop = {});

 private:
  class Link;
  std::unique_ptr<Link> link_;
};

}  // namespace assay::measure
