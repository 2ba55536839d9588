#include "assay/contest/slices.hpp"

#if defined(__x86_64__)

#include <x86intrin.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <ctime>
#include <exception>
#include <fstream>
#include <numeric>
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

namespace {

/// The call site.
[[gnu::noinline]] std::uint64_t ticks_of(const SliceClock& clock, Slice slice, void* function, void* input,
                                         std::uint64_t calls) {
  slice = hide_value(slice);  // or link-time optimisation might see through it
  const auto start = clock.now();
  slice(function, input, calls);
  return clock.now() - start;
}

/// Where the `at`-th of copies begins.
void* copy_at(const TimedFunction& timed, void* copies, std::uint64_t at) {
  return static_cast<char*>(copies) + at * timed.input->size_of_one();
}

std::uint64_t most_copies(const TimedFunction& timed) {
  constexpr std::size_t bytes = 64U << 20U, count = 10'000;
  return std::clamp<std::size_t>(bytes / std::max<std::size_t>(timed.input->size_of_one(), 1), 1, count);
}

/// Threads share the input; one that consumes it would need copies of its own.
double time_threads(TimedFunction& timed, std::uint64_t calls, std::uint64_t lead) {
  auto& timed_functions = timed.of_threads;
  void* input = const_cast<void*>(timed.input->shared());
  const auto work = [&](std::uint64_t count) {
    return [&timed, &timed_functions, input, count](std::size_t number) {
      auto& callable = *timed_functions[number];
      auto slice = callable.slice(timed.copy);
      hide_value(slice)(callable.function(), input, count);
    };
  };
  if (lead > 0) timed.threads->run(work(lead));
  const double took = timed.threads->run(work(calls));
  timed.calls_made += (calls + lead) * timed_functions.size();
  return took;
}

double median_of(std::vector<double>& values) {
  const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
  std::ranges::nth_element(values, middle);
  return *middle;
}

/// The median of five slices; of fewer when they take long.
double typical_slice(TimedFunction& timed, std::uint64_t calls, double seconds) {
  constexpr std::size_t enough = 5;
  constexpr double long_ago = 20;  // times the slice that is wanted
  std::vector<double> took;
  double sum = 0;
  while (took.size() < enough && sum < long_ago * seconds) {
    took.push_back(time_slice(timed, calls));
    sum += took.back();
  }
  return median_of(took);
}

}  // namespace

double time_slice(TimedFunction& timed, std::uint64_t calls, std::uint64_t lead) {
  if (timed.threads != nullptr) return time_threads(timed, calls, lead);
  const auto& clock = SliceClock::instance();
  auto& callable = *timed.callable;
  const bool consumes = callable.consumes();
  void* input = consumes ? timed.input->copies(calls + lead) : const_cast<void*>(timed.input->shared());
  const auto slice = callable.slice(timed.copy);
  if (lead > 0) {
    slice(callable.function(), input, lead);
    if (consumes) input = copy_at(timed, input, lead);
  }
  const auto ticks = ticks_of(clock, slice, callable.function(), input, calls);
  timed.calls_made += calls + lead;
  return std::max(0.0, static_cast<double>(ticks) * clock.seconds_per_tick() - clock.overhead());
}

void calibrate(TimedFunction& timed, double seconds) {
  const std::uint64_t most = timed.callable->consumes() ? most_copies(timed) : std::uint64_t{1} << 40U;
  std::uint64_t calls = std::clamp<std::uint64_t>(timed.calls, 1, most);
  double took = 0;
  while (true) {
    took = typical_slice(timed, calls, seconds);
    if (took >= seconds / 2 || calls >= most) break;
    calls = std::min(calls * 2, most);
  }
  if (took > 0)
    calls = static_cast<std::uint64_t>(
        std::clamp(std::floor(static_cast<double>(calls) * seconds / took), 1.0, static_cast<double>(most)));
  timed.calls = calls;
}

std::string rethrown_error() {
  try {
    throw;
  } catch (const std::exception& thrown) {
    return std::string("it threw: ") + thrown.what();
  } catch (...) {
    return "it threw something that is no std::exception";
  }
}

double run_blocks(std::span<TimedFunction> timed_functions, double seconds, stats::Random& random,
                  SliceWatcher* watcher) {
  const auto& clock = SliceClock::instance();
  const auto start = clock.now();
  const auto limit = static_cast<std::uint64_t>(seconds / clock.seconds_per_tick());
  constexpr std::uint64_t lead_share = 8;  // of the calls of a slice
  double inside = 0;
  const auto take = [&](std::size_t place, std::uint64_t calls, std::uint64_t lead) {
    auto& timed = timed_functions[place];
    if (watcher != nullptr) watcher->begin(place);
    const double took = time_slice(timed, calls, lead);
    if (watcher != nullptr) watcher->end(place);
    inside += took;
    timed.seconds_per_call.push_back(took / static_cast<double>(calls));
  };
  std::vector<std::uint32_t> order(timed_functions.size());
  std::iota(order.begin(), order.end(), 0U);
  for (unsigned block = 0; block == 0 || clock.now() - start < limit; ++block) {
    random.shuffle(std::span(order));
    for (const auto place : order) {
      auto& timed = timed_functions[place];
      if (!timed.error.empty()) continue;
      try {
        if (timed.calls >= few_calls)
          take(place, timed.calls, timed.calls / lead_share);
        else
          for (std::uint64_t call = 0; call < timed.calls; ++call) take(place, 1, 0);
      } catch (...) {
        timed.error = rethrown_error();
      }
    }
  }
  return inside;
}

}  // namespace assay::contest
