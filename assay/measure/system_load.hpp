#pragma once

#include <memory>
#include <optional>
#include <string>

namespace assay::measure {

/// What the machine was like at one moment, as far as it tells: for differences across a trial.
struct LoadSample {
  double monotonic = 0, boottime = 0;  ///< seconds; they part while the machine sleeps
  std::optional<double> load;          ///< one-minute load average
  std::optional<double> busy, steal;   ///< CPU seconds since boot, all cores: at work; taken by the host
  std::optional<double> frequency;     ///< Hz, mean over the cores
  std::optional<bool> on_battery;
  std::optional<double> throttlings;  ///< since boot, all cores
};

/// What a trial ran beside.
struct LoadDuring {
  bool suspended = false;       ///< the machine slept meanwhile
  std::optional<double> load;   ///< before the trial
  std::optional<double> steal;  ///< CPU seconds taken by the host
  std::optional<double>
      other_load;                   ///< CPU seconds of everything but the trial; below 0 by the ticks' chance
  std::optional<double> frequency;  ///< Hz, after the trial
  std::optional<bool> on_battery;
  std::optional<double> throttlings;
};

/// Reads the machine's own accounts below `root` ("" is the real ones; tests have others), keeping their
/// files open. Each needs no privilege; what a machine doesn't have is left empty.
class LoadMonitor {
 public:
  explicit LoadMonitor(std::string root = {});
  ~LoadMonitor();
  LoadMonitor(const LoadMonitor&) = delete;
  LoadMonitor& operator=(const LoadMonitor&) = delete;

  /// Cost: a few file reads, about 20 µs, more with many cores that tell their frequency.
  LoadSample now() const;

 private:
  struct Files;
  std::string root_;
  std::unique_ptr<Files> files_;
};

/// The difference of two moments around a trial that itself used `cpu` CPU seconds. The kernel counts CPU
/// time by ticks, so the figures of single short trials are rough; their sums are not.
LoadDuring difference(const LoadSample& before, const LoadSample& after, double cpu);

}  // namespace assay::measure
