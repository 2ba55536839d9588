#pragma once

#include <functional>
#include <stop_token>
#include <vector>

#include "assay/measure/process.hpp"

namespace assay::measure {

/// How unsteady one length of work is here: the log ratios of neighbours that do the same work.
struct NoiseSample {
  double seconds = 0;           ///< of work, roughly
  bool process = false;         ///< a program; else a loop inside this process
  std::vector<double> turns;    ///< one after the other, by wall time
  std::vector<double> abreast;  ///< at once on one core, by CPU time; empty for loops
  double cpu = 0;               ///< seconds that the probe itself used
};

/// The steady clock, in seconds.
struct ClockCost {
  double resolution = 0;  ///< smallest step it was seen to make
  double overhead = 0;    ///< of one reading, on average
};

ClockCost clock_cost();

/// Wall time of a program that does nothing, median of `runs`.
double launch_cost(Launcher& launcher, int runs = 50);

/// Measures the noise at 0.02, 0.2, 2, 20 and 200 ms, in about ten seconds. `tell` is called before each with
/// its place and how many there are. Stops between pairs when asked to; what is there then is returned.
std::vector<NoiseSample> probe_noise(Launcher& launcher, const std::stop_token& stop,
                                     const std::function<void(int, int)>& on_probe = {});

}  // namespace assay::measure
