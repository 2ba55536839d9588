#include "assay/contest/slices.hpp"

#include <algorithm>
#include <cmath>
#include <exception>
#include <numeric>

#include "assay/contest/clock.hpp"

namespace assay::inline v1::contest {
namespace {

/// The call site.
[[gnu::noinline]] std::uint64_t timed(const SliceClock& clock, Slice slice, void* function, void* input,
                                      std::uint64_t calls) {
  slice = opaque(slice);  // or link-time optimisation might see through it
  const auto start = clock.now();
  slice(function, input, calls);
  return clock.now() - start;
}

std::uint64_t most_copies(const Contender& contender) {
  constexpr std::size_t bytes = 64U << 20U, count = 10'000;
  return std::clamp<std::size_t>(bytes / std::max<std::size_t>(contender.input->size_of_one(), 1), 1, count);
}

/// Threads share the input; one that consumes it would need copies of its own.
double time_team(Contender& contender, std::uint64_t calls) {
  auto& contenders = contender.of_threads;
  void* input = const_cast<void*>(contender.input->shared());
  const double took = contender.team->run([&](std::size_t number) {
    auto& callable = *contenders[number];
    auto slice = callable.slice(contender.copy);
    opaque(slice)(callable.function(), input, calls);
  });
  contender.calls_made += calls * contenders.size();
  return took;
}

}  // namespace

double time_slice(Contender& contender, std::uint64_t calls) {
  if (contender.team != nullptr) return time_team(contender, calls);
  const auto& clock = SliceClock::instance();
  auto& callable = *contender.callable;
  void* input =
      callable.consumes() ? contender.input->copies(calls) : const_cast<void*>(contender.input->shared());
  const auto ticks = timed(clock, callable.slice(contender.copy), callable.function(), input, calls);
  contender.calls_made += calls;
  return std::max(0.0, static_cast<double>(ticks) * clock.seconds_per_tick() - clock.overhead());
}

void calibrate(Contender& contender, double seconds) {
  const std::uint64_t most =
      contender.callable->consumes() ? most_copies(contender) : std::uint64_t{1} << 40U;
  std::uint64_t calls = 1;
  double took = 0;
  while (true) {
    took = std::min(time_slice(contender, calls), time_slice(contender, calls));
    if (took >= seconds / 2 || calls >= most) break;
    calls = std::min(calls * 2, most);
  }
  if (took > 0)
    calls = static_cast<std::uint64_t>(
        std::clamp(std::floor(static_cast<double>(calls) * seconds / took), 1.0, static_cast<double>(most)));
  contender.calls = calls;
}

std::string what_was_thrown() {
  try {
    throw;
  } catch (const std::exception& thrown) {
    return std::string("it threw: ") + thrown.what();
  } catch (...) {
    return "it threw something that is no std::exception";
  }
}

double run_blocks(std::span<Contender> contenders, double seconds, stats::Random& random) {
  const auto& clock = SliceClock::instance();
  const auto start = clock.now();
  const auto limit = static_cast<std::uint64_t>(seconds / clock.seconds_per_tick());
  double inside = 0;
  std::vector<std::uint32_t> order(contenders.size());
  std::iota(order.begin(), order.end(), 0U);
  for (unsigned block = 0; block == 0 || clock.now() - start < limit; ++block) {
    random.shuffle(std::span(order));
    for (const auto place : order) {
      auto& contender = contenders[place];
      if (block % contender.every != 0 || !contender.thrown.empty()) continue;
      try {
        const double took = time_slice(contender, contender.calls);
        inside += took;
        contender.seconds_per_call.push_back(took / static_cast<double>(contender.calls));
      } catch (...) {
        contender.thrown = what_was_thrown();
      }
    }
  }
  return inside;
}

}  // namespace assay::inline v1::contest
