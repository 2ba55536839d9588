#include "assay/contest/slice_clock.hpp"

#if defined(__x86_64__)

#include <x86intrin.h>

#include <algorithm>
#include <chrono>
#include <ctime>
#include <fstream>
#include <string>
#include <vector>

#endif

namespace assay::contest {
namespace {

std::string line_with(const char* path, const std::string& beginning) {
  std::ifstream file(path);
  for (std::string line; std::getline(file, line);)
    if (line.starts_with(beginning)) return line + " ";
  return {};
}

/// The counter runs at one rate, also in sleep states, and the kernel keeps time by it.
bool counter_is_invariant() {
  const auto flags = line_with("/proc/cpuinfo", "flags");
  return flags.find(" constant_tsc ") != std::string::npos &&
         flags.find(" nonstop_tsc ") != std::string::npos &&
         line_with("/sys/devices/system/clocksource/clocksource0/current_clocksource", "tsc") == "tsc ";
}

}  // namespace

std::uint64_t SliceClock::steady_now() {
  timespec t{};
  clock_gettime(CLOCK_MONOTONIC, &t);
  return static_cast<std::uint64_t>(t.tv_sec) * 1'000'000'000U + static_cast<std::uint64_t>(t.tv_nsec);
}

std::uint64_t SliceClock::cycles_now() {
#if defined(__x86_64__)
  _mm_lfence();
  const std::uint64_t now = __rdtsc();
  _mm_lfence();
  return now;
#else
  return steady_now();
#endif
}

SliceClock::SliceClock() {
#if defined(__x86_64__)
  cycles_ = counter_is_invariant();
#endif
  if (cycles_) {
    const auto start = steady_now();
    const auto first = cycles_now();
    constexpr std::uint64_t long_enough_ns = 20'000'000;
    auto end = start;
    while (end - start < long_enough_ns) end = steady_now();
    seconds_per_tick_ = static_cast<double>(end - start) * 1e-9 / static_cast<double>(cycles_now() - first);
  }
  std::vector<std::uint64_t> gaps;
  for (int i = 0; i < 1001; ++i) {
    const auto first = now();
    gaps.push_back(now() - first);
  }
  std::ranges::nth_element(gaps, gaps.begin() + 500);
  overhead_ = static_cast<double>(gaps[500]) * seconds_per_tick_;
}

const SliceClock& SliceClock::instance() {
  static const SliceClock clock;
  return clock;
}

}  // namespace assay::contest
