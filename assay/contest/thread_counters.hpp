#pragma once

#include <array>
#include <optional>
#include <string>

#include "assay/measure/process.hpp"

namespace assay::contest {

/// The kernel's event counters on the calling thread, user space only.
class ThreadCounters {
 public:
  /// Opens what the machine offers.
  ThreadCounters();
  ~ThreadCounters();
  ThreadCounters(const ThreadCounters&) = delete;
  ThreadCounters& operator=(const ThreadCounters&) = delete;

  bool offers(measure::Counter counter) const { return files_[place(counter)] >= 0; }
  const std::string& problem() const { return problem_; }  ///< why some are not offered

  void start();
  /// Counts since start(), scaled where counters took turns.
  std::array<std::optional<double>, measure::counter_kinds> stop();

 private:
  static std::size_t place(measure::Counter counter) { return static_cast<std::size_t>(counter); }
  std::array<int, measure::counter_kinds> files_{};
  std::string problem_;
};

}  // namespace assay::contest
