#include "assay/contest/slices.hpp"

#include <algorithm>
#include <cmath>
#include <exception>
#include <numeric>

#include "assay/contest/slice_clock.hpp"

namespace assay::contest {
namespace {

/// The call site.
[[gnu::noinline]] std::uint64_t timed(const SliceClock& clock, Slice slice, void* function, void* input,
                                      std::uint64_t calls) {
  slice = hide_value(slice);  // or link-time optimisation might see through it
  const auto start = clock.now();
  slice(function, input, calls);
  return clock.now() - start;
}

/// Where the `at`-th of copies begins.
void* copy_at(const TimedFunction& contender, void* copies, std::uint64_t at) {
  return static_cast<char*>(copies) + at * contender.input->size_of_one();
}

std::uint64_t most_copies(const TimedFunction& contender) {
  constexpr std::size_t bytes = 64U << 20U, count = 10'000;
  return std::clamp<std::size_t>(bytes / std::max<std::size_t>(contender.input->size_of_one(), 1), 1, count);
}

/// Threads share the input; one that consumes it would need copies of its own.
double time_threads(TimedFunction& contender, std::uint64_t calls, std::uint64_t lead) {
  auto& contenders = contender.of_threads;
  void* input = const_cast<void*>(contender.input->shared());
  const auto work = [&](std::uint64_t count) {
    return [&contender, &contenders, input, count](std::size_t number) {
      auto& callable = *contenders[number];
      auto slice = callable.slice(contender.copy);
      hide_value(slice)(callable.function(), input, count);
    };
  };
  if (lead > 0) contender.threads->run(work(lead));
  const double took = contender.threads->run(work(calls));
  contender.calls_made += (calls + lead) * contenders.size();
  return took;
}

double median_of(std::vector<double>& values) {
  const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
  std::ranges::nth_element(values, middle);
  return *middle;
}

/// The median of five slices; of fewer when they take long.
double typical_slice(TimedFunction& contender, std::uint64_t calls, double seconds) {
  constexpr std::size_t enough = 5;
  constexpr double long_ago = 20;  // times the slice that is wanted
  std::vector<double> took;
  double sum = 0;
  while (took.size() < enough && sum < long_ago * seconds) {
    took.push_back(time_slice(contender, calls));
    sum += took.back();
  }
  return median_of(took);
}

}  // namespace

double time_slice(TimedFunction& contender, std::uint64_t calls, std::uint64_t lead) {
  if (contender.threads != nullptr) return time_threads(contender, calls, lead);
  const auto& clock = SliceClock::instance();
  auto& callable = *contender.callable;
  const bool consumes = callable.consumes();
  void* input =
      consumes ? contender.input->copies(calls + lead) : const_cast<void*>(contender.input->shared());
  const auto slice = callable.slice(contender.copy);
  if (lead > 0) {
    slice(callable.function(), input, lead);
    if (consumes) input = copy_at(contender, input, lead);
  }
  const auto ticks = timed(clock, slice, callable.function(), input, calls);
  contender.calls_made += calls + lead;
  return std::max(0.0, static_cast<double>(ticks) * clock.seconds_per_tick() - clock.overhead());
}

void calibrate(TimedFunction& contender, double seconds) {
  const std::uint64_t most =
      contender.callable->consumes() ? most_copies(contender) : std::uint64_t{1} << 40U;
  std::uint64_t calls = std::clamp<std::uint64_t>(contender.calls, 1, most);
  double took = 0;
  while (true) {
    took = typical_slice(contender, calls, seconds);
    if (took >= seconds / 2 || calls >= most) break;
    calls = std::min(calls * 2, most);
  }
  if (took > 0)
    calls = static_cast<std::uint64_t>(
        std::clamp(std::floor(static_cast<double>(calls) * seconds / took), 1.0, static_cast<double>(most)));
  contender.calls = calls;
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

double run_blocks(std::span<TimedFunction> contenders, double seconds, stats::Random& random) {
  const auto& clock = SliceClock::instance();
  const auto start = clock.now();
  const auto limit = static_cast<std::uint64_t>(seconds / clock.seconds_per_tick());
  constexpr std::uint64_t lead_share = 8;  // of the calls of a slice
  double inside = 0;
  const auto take = [&](TimedFunction& contender, std::uint64_t calls, std::uint64_t lead) {
    const double took = time_slice(contender, calls, lead);
    inside += took;
    contender.seconds_per_call.push_back(took / static_cast<double>(calls));
  };
  std::vector<std::uint32_t> order(contenders.size());
  std::iota(order.begin(), order.end(), 0U);
  for (unsigned block = 0; block == 0 || clock.now() - start < limit; ++block) {
    random.shuffle(std::span(order));
    for (const auto place : order) {
      auto& contender = contenders[place];
      if (!contender.error.empty()) continue;
      try {
        if (contender.calls >= few_calls)
          take(contender, contender.calls, contender.calls / lead_share);
        else
          for (std::uint64_t call = 0; call < contender.calls; ++call) take(contender, 1, 0);
      } catch (...) {
        contender.error = rethrown_error();
      }
    }
  }
  return inside;
}

}  // namespace assay::contest
