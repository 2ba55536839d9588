#pragma once

#include <sys/types.h>

#include <csignal>
#include <memory>
#include <optional>
#include <stop_token>
#include <string>

#include "assay/measure/process.hpp"

namespace assay::measure {

class LauncherPool;

/// A program that runs while its caller does other things, a server, say: started, watched, asked to end,
/// waited for. It has a launcher process of its own, so that what it used is exact whatever else runs
/// meanwhile, and a session of its own. Ended, with everything that it started, at the latest with this
/// object.
///
/// One thread at a time may use a handle; different handles may be used by different threads.
class RunningProcess {
 public:
  RunningProcess(RunningProcess&&) noexcept;
  RunningProcess& operator=(RunningProcess&&) noexcept;
  ~RunningProcess();  ///< a program that still runs is killed

  /// Its process id, for its clocks and its sockets; none when it could not be started: wait() tells why.
  /// Good until still_runs() says no or wait() returns.
  std::optional<pid_t> pid() const;

  /// Whether it has not ended yet. To be called now and then, since it also relieves floods of output
  /// (Capture::drain). Throws Error(measuring) when the launcher process has gone.
  bool still_runs();

  /// The last `most` bytes of what it has written to its stdout and stderr up to now; nothing where its
  /// output is discarded.
  std::string out_so_far(std::size_t most) const;
  std::string err_so_far(std::size_t most) const;

  /// Asks it to end: `signal_number` (and CONT) goes to the program itself, whose business its children are;
  /// what is left after `grace` seconds is killed. Returns at once. A second request changes nothing.
  void stop(int signal_number = SIGTERM, double grace = 5);

  /// Waits until it has ended of itself, by its time limit, or because it was asked to; a stop token that is
  /// triggered asks everything it started to end, by TERM, and its result is `interrupted`. To be called
  /// once. Throws Error(measuring) as Launcher::run() does.
  ProcessResult wait(const std::stop_token& stop = {});

 private:
  friend class Launcher;
  RunningProcess(std::shared_ptr<LauncherPool> pool, Command command);
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace assay::measure
