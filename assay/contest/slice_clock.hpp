#pragma once

#include <cstdint>

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

}  // namespace assay::contest
