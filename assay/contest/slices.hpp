#pragma once

#include <cstdint>
#include <memory>
#include <span>
#include <string>
#include <vector>

#include "assay/contest/callable.hpp"
#include "assay/contest/threads.hpp"
#include "assay/stats/random.hpp"

namespace assay::contest {

/// The clock of slices: the processor's cycle counter where the kernel itself trusts it and it runs at one
/// rate whatever the cores do, else the steady clock.
class SliceClock {
 public:
  /// Measures rate and cost, about 20 ms; once for a process.
  static const SliceClock& instance();

  /// Ticks since some moment. Nothing before it in the program is counted after it, and the other way round.
  std::uint64_t now() const { return cycles_ ? cycles_now() : steady_now(); }

  double seconds_per_tick() const { return seconds_per_tick_; }
  /// Seconds between two readings with nothing in between: the median of many.
  double overhead() const { return overhead_; }
  bool counts_cycles() const { return cycles_; }

 private:
  SliceClock();
  static std::uint64_t cycles_now();
  static std::uint64_t steady_now();

  bool cycles_ = false;
  double seconds_per_tick_ = 1e-9, overhead_ = 0;
};

/// A candidate at one setting, ready to be timed.
struct TimedFunction {
  Callable* callable = nullptr;
  Input* input = nullptr;
  int copy = 0;                                       ///< which instantiation of its code runs
  ThreadGroup* threads = nullptr;                     ///< threads of its own; none: this one
  std::vector<std::unique_ptr<Callable>> of_threads;  ///< each thread's own copy
  std::uint64_t calls = 0;                            ///< of one slice; 0: not calibrated yet
  std::vector<double> seconds_per_call;               ///< of each slice since it was last cleared
  std::uint64_t calls_made = 0;
  std::string error;  ///< what it threw, since it was last cleared; it takes no further part
};

/// Slices of fewer calls than these are timed call by call: one number of calls for all of them would round
/// their length, and the first call after another function would weigh by it.
inline constexpr std::uint64_t few_calls = 8;

/// Times one slice (of every thread of its threads, from the first start to the last end): seconds, with the
/// cost of reading the clock taken off. `lead` calls are made right before, untimed, so that what another
/// function left behind in caches and predictors is not timed. The one place from which every candidate of
/// every contest is called.
double time_slice(TimedFunction& timed, std::uint64_t calls, std::uint64_t lead = 0);

/// Finds how many calls make a slice of `seconds`, at least one and at most what fits the time, from the
/// median of five slices and the calls that it had before; copies for functions that consume their input are
/// limited to 64 MiB of their own size, and to 10 000.
void calibrate(TimedFunction& timed, double seconds);

/// What went wrong, in words; to be called from within a catch block.
std::string rethrown_error();

/// Called right before and right after each slice with its untimed calls.
class SliceWatcher {
 public:
  virtual ~SliceWatcher() = default;
  virtual void begin(std::size_t function) = 0;  ///< its place among those that are timed
  virtual void end(std::size_t function) = 0;
};

/// Runs slices for about `seconds`: blocks in which each timed has one slice, in a new random order,
/// after an eighth of its calls untimed. At least one block. Nothing but the timing happens between the
/// slices of a block. What a timed throws is put into it, and the others go on. Returns the seconds spent
/// inside slices.
double run_blocks(std::span<TimedFunction> timed_functions, double seconds, stats::Random& random,
                  SliceWatcher* watcher = nullptr);

}  // namespace assay::contest
