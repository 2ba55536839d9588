#pragma once

#include <sys/types.h>

#include <array>
#include <csignal>
#include <cstddef>
#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <stop_token>
#include <string>
#include <vector>

#include "assay/measure/capture.hpp"
#include "assay/measure/sampling.hpp"

namespace assay::measure {

/// The kernel's event counters. All but task_clock need hardware that many virtual machines don't offer.
enum class Counter {
  task_clock,
  instructions,
  cycles,
  branches,
  branch_misses,
  cache_references,
  cache_misses
};
inline constexpr std::size_t counter_kinds = 7;

/// A program to be run once.
struct Command {
  std::string program;                 ///< path that is executed; see find_program
  std::vector<std::string> arguments;  ///< all of them, the program's name first
  std::string directory = ".";         ///< working directory
  std::string stdin_file;              ///< empty: nothing to read
  double timeout = 600;                ///< seconds until TERM (and CONT) to everything it started
  double grace = 2;                    ///< seconds from then until KILL

  /// What it gets of the environment: names that are passed on as they are here, and `NAME=value`. Empty
  /// (the optional): all of it.
  std::optional<std::vector<std::string>> environment;
  bool discard_output = false;     ///< stdout and stderr go to /dev/null, unhashed
  bool samples = false;            ///< it gets a descriptor 3 to write samples to, named by ASSAY_SAMPLES
  std::vector<int> cores;          ///< it may run on; empty: all that this process may
  int nice = 0;                    ///< added to its niceness; below 0 needs privilege
  std::uint64_t memory_limit = 0;  ///< bytes of data for each of its processes (RLIMIT_DATA); 0: none
  /// Bytes of each file that it writes, its output among them (RLIMIT_FSIZE); 0: none.
  std::uint64_t file_limit = 64ULL << 30U;
  std::string cgroup_file;           ///< a cgroup.procs file it joins; empty: stays where it is
  std::vector<Counter> counting;     ///< what is to be counted, as far as the machine offers it
  std::optional<Sampling> sampling;  ///< of a batch: that of the first holds for all
};

/// How one run went. Times in seconds, memory in bytes.
struct ProcessResult {
  /// Why it could not be started, in words; everything below is then meaningless.
  std::optional<std::string> not_started;
  /// Why nothing is known of it but that it is gone: it, or something else, ended its launcher process.
  /// `signal` is then SIGKILL.
  std::optional<std::string> lost;
  bool peer_failed = false;  ///< not started because another program of its batch could not be

  int exit_status = 0;  ///< 0 when it ended by a signal
  int signal = 0;       ///< 0 when it ended by itself
  bool timed_out = false, interrupted = false;
  /// Of a batch in slices: a process had left its program's process group, so that it ran when others did.
  bool left_group = false;

  /// From when its child process became the program until its end was known, monotonic clock.
  double wall = 0;
  /// With all descendants that ended, adopted orphans included, and without what came before the program.
  double user = 0, system = 0;
  double peak_memory = 0;  ///< of the largest process
  double faults_minor = 0, faults_major = 0;
  double switches_voluntary = 0, switches_involuntary = 0;
  /// Ready to run while others had the core: of the main process's first thread and of adopted orphans', in
  /// seconds; empty where the kernel does not tell.
  std::optional<double> core_wait;
  /// Through system calls, by the whole tree, those of starting it included; empty where the kernel does not
  /// tell.
  std::optional<double> bytes_read, bytes_written;
  std::array<std::optional<double>, counter_kinds>
      counts;                ///< by Counter; user space only but for task_clock
  double counted_share = 1;  ///< below 1 when counters took turns on the hardware, and were scaled
  int orphans = 0;           ///< descendants still running at its end; they were killed

  std::unique_ptr<Capture> out, err;  ///< none when output was discarded
  std::unique_ptr<Capture> samples;   ///< none unless asked for
  std::optional<CodeSamples> code;    ///< none unless Command::sampling asked for it
};

class LauncherPool;
class RunningProcess;

/// Runs programs through launcher processes, which are started as they are needed (the first with this
/// object) and ended with it. When a run returns, nothing that the program started is left running.
///
/// May be called from several threads at once: each program, or batch of them, has a launcher process of its
/// own. Installs no signal handler and reaps no child but the launcher processes. Cost of a run beyond the
/// program's own: about 20 µs.
class Launcher {
 public:
  /// `patience` is how many seconds a launcher process may be late with its answer, once the time limit and
  /// the grace of its programs are over: then it is ended, with all it runs, and Error(measuring) thrown, so
  /// that no call lasts longer than time limit + grace + patience, or grace + patience after a stop request.
  /// Throws Error(measuring) when no launcher process can be started.
  explicit Launcher(double patience = 10);
  ~Launcher();
  Launcher(const Launcher&) = delete;
  Launcher& operator=(const Launcher&) = delete;

  /// Runs `command` to its end, its time limit, or a stop request. Throws Error(measuring) when the launcher
  /// process is gone or does not answer; the next call starts a new one.
  ProcessResult run(const Command& command, const std::stop_token& stop = {});

  /// Runs several commands (2 to most_at_once) at once on core number `core`, started together, and returns a
  /// result for each in their order. The kernel is asked to let each run for `slice` seconds before another
  /// (Linux 6.12 and later); 0: as it does by itself. The longer, the less they push each other out of the
  /// caches. They share whatever disturbs that core, so that their CPU times can be compared; wall times
  /// can't be. What each used before all were ready is taken off. The largest time limit holds for all;
  /// niceness, memory limit and counters are not for here: those of the first count, without counters. Throws
  /// as run() does.
  std::vector<ProcessResult> run_abreast(std::span<const Command> commands, int core, double slice = 0,
                                         const std::stop_token& stop = {});

  /// Runs several commands (2 to most_at_once) in slices: one at a time, for `slice` seconds each in an order
  /// that is drawn anew (from `seed`) in each pass, until each has ended, on all cores that the first may
  /// use. The others are stopped meanwhile (SIGSTOP to their process groups): what depends on the time of
  /// day, timers and networks, sees that. A result's wall time is the sum of its slices, its time limit holds
  /// for that; CPU time is without what went before its start. Niceness and limits are those of the first;
  /// counters are not for here. Throws as run() does.
  std::vector<ProcessResult> run_in_slices(std::span<const Command> commands, double slice,
                                           std::uint64_t seed, const std::stop_token& stop = {});
  static constexpr std::size_t most_at_once = 16;

  /// Starts `command` and returns when it runs, or could not be started. Its handle may outlive this object.
  /// Throws Error(measuring) when no launcher process can be had.
  RunningProcess start(Command command);

  /// Why counters were refused in the runs so far, in words; empty when none was.
  std::string counting_problem() const;

 private:
  std::shared_ptr<LauncherPool> pool_;
};

/// A path that runs the launcher's own program, whose `spin N` does a known amount of work: N turns of a loop
/// of one to two nanoseconds each. Good while `this process` lives.
std::string calibration_program();

/// The cores that this process may run on, ascending.
std::vector<int> cores_allowed();

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
