#pragma once

#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstdint>

namespace assay::measure {

/// A point in time that can only come nearer.
class Deadline {
 public:
  explicit Deadline(double seconds) : at_(after(seconds)) {}
  void at_most(double seconds) { at_ = std::min(at_, after(seconds)); }
  bool is_over() const { return Clock::now() >= at_; }
  double seconds_left() const { return std::chrono::duration<double>(at_ - Clock::now()).count(); }

 private:
  using Clock = std::chrono::steady_clock;
  static Clock::time_point after(double seconds) {
    constexpr double most = 3e8;  // ten years: what the clock can hold
    return Clock::now() + std::chrono::duration_cast<Clock::duration>(
                              std::chrono::duration<double>(std::clamp(seconds, 0.0, most)));
  }
  Clock::time_point at_;
};

/// Seconds as a launcher process is told them, at most thirty years.
inline std::int64_t nanoseconds(double seconds) { return std::llround(std::min(seconds, 1e9) * 1e9); }

}  // namespace assay::measure
