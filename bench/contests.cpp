// What contests say of a planted change of 0.2 % and of none, at several lengths of slices, on the machine as
// it is and beside a busy neighbour; beside it, one function run for a while and then the other, by the means
// of their calls. Also how much of the time goes into slices, what a slice adds to a call, and what a slice
// carries over into the one after it.

#include <fmt/format.h>

#include <algorithm>
#include <atomic>
#include <chrono>
#include <cmath>
#include <cstdint>
#include <cstdlib>
#include <thread>
#include <vector>

#include "assay/contest/contest.hpp"
#include "assay/contest/slices.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/rank_sum.hpp"

namespace {

using namespace assay;
using namespace assay::model;

/// Each unit depends on the one before.
[[gnu::noinline]] std::uint64_t work(std::uint64_t units) {
  std::uint64_t x = hide_value(units) | 1U;
  for (std::uint64_t i = 0; i < units; ++i) {
    x ^= x << 13U;
    x ^= x >> 7U;
    x ^= x << 17U;
  }
  return x;
}

/// One type for both sides, so that they share all their code.
struct Units {
  std::uint64_t units;
  std::uint64_t operator()() const { return work(units); }
};

struct Neighbour {
  std::atomic<bool> over = false;
  std::vector<std::jthread> threads;
  explicit Neighbour(bool busy) {
    for (unsigned i = 0; busy && i < std::thread::hardware_concurrency(); ++i)
      threads.emplace_back([this] {
        while (!over) use_value(work(100000));
      });
  }
  ~Neighbour() { over = true; }
};

struct Tally {
  int changed = 0, same = 0;
  double seconds = 0;
};

Tally contests(int count, std::uint64_t units, double slice) {
  Tally tally;
  const auto start = std::chrono::steady_clock::now();
  for (int i = 0; i < count; ++i) {
    Contest contest("planted");
    contest.baseline("a", Units{1000});
    contest.candidate("b", Units{units});
    contest.skip_answer_check();
    contest.options().margin = 0.001;
    contest.options().slice = slice;
    contest.options().twin = false;
    contest.options().seed = static_cast<std::uint64_t>(i) + 1;
    const auto findings = contest.run().findings();
    const auto verdict = findings.findings.at(0).verdict;
    tally.changed += verdict == Verdict::better || verdict == Verdict::worse ? 1 : 0;
    tally.same += verdict == Verdict::same ? 1 : 0;
  }
  tally.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count() / count;
  return tally;
}

/// One function for a second, each call timed, then the other; the means by Welch's test at 5 %.
int one_after_the_other(int count, std::uint64_t units) {
  int changed = 0;
  for (int i = 0; i < count; ++i) {
    std::vector<double> times[2];
    for (int side = 0; side < 2; ++side) {
      const auto start = std::chrono::steady_clock::now();
      double elapsed = 0;
      while (elapsed < 1) {
        const auto before = std::chrono::steady_clock::now();
        use_value(work(side == 0 ? 1000 : units));
        const auto after = std::chrono::steady_clock::now();
        times[side].push_back(std::chrono::duration<double>(after - before).count());
        elapsed = std::chrono::duration<double>(after - start).count();
      }
    }
    changed += stats::brunner_munzel(times[0], times[1]).p < 0.05 ? 1 : 0;
  }
  return changed;
}

void table(bool busy, int count) {
  const Neighbour neighbour(busy);
  fmt::print("{}\n", busy ? "beside a busy neighbour on every core" : "as the machine is");
  fmt::print("{:>22} {:>9} {:>16} {:>16} {:>10}\n", "", "slice", "+0.2 % called", "none called", "seconds");
  for (const double slice : {10e-6, 20e-6, 50e-6}) {
    const auto planted = contests(count, 1002, slice), none = contests(count, 1000, slice);
    fmt::print("{:>22} {:>6.0f} µs {:>9} of {:>3} {:>9} of {:>3} {:>10.2f}\n", "contest", slice * 1e6,
               planted.changed, count, none.changed, count, 0.5 * (planted.seconds + none.seconds));
  }
  const int fewer = std::max(1, count / 5);
  fmt::print("{:>22} {:>9} {:>9} of {:>3} {:>9} of {:>3} {:>10.2f}\n", "one after the other", "",
             one_after_the_other(fewer, 1002), fewer, one_after_the_other(fewer, 1000), fewer, 2.0);
}

/// A function of hardly any work, in slices and in a plain loop.
void overheads() {
  using contest::TimedFunction;
  contest::TypedCallable<Units> callable(Units{1000});
  contest::TypedInput<contest::Nothing> nothing([] { return contest::Nothing{}; });
  std::vector<TimedFunction> two(2);
  for (auto& timed : two) {
    timed.callable = &callable;
    timed.input = &nothing;
    contest::calibrate(timed, 20e-6);
  }
  stats::Random random(1);
  const auto start = std::chrono::steady_clock::now();
  const double inside = contest::run_blocks(two, 2, random);
  const double all = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
  fmt::print("\ntime outside slices of 20 µs: {:.1f} %\n", 100 * (1 - inside / all));

  contest::TypedCallable<Units> tiny(Units{1});
  TimedFunction slices{.callable = &tiny, .input = &nothing};
  std::vector<double> in_slices, bare;
  constexpr std::uint64_t calls = 20000;
  const auto& clock = contest::SliceClock::instance();
  for (int i = 0; i < 501; ++i) {
    in_slices.push_back(contest::time_slice(slices, calls) / calls);
    const auto before = clock.now();
    for (std::uint64_t k = 0; k < calls; ++k) use_value(work(1));
    bare.push_back(static_cast<double>(clock.now() - before) * clock.seconds_per_tick() / calls);
  }
  fmt::print("a call of hardly any work: {:.2f} ns in a slice, {:.2f} ns in a plain loop\n",
             stats::median(in_slices) * 1e9, stats::median(bare) * 1e9);
  fmt::print("clock: {}, {:.1f} ns a reading\n", clock.counts_cycles() ? "cycle counter" : "steady",
             clock.overhead() * 1e9);
}

/// Reads all of its numbers.
struct Sum {
  std::vector<std::uint64_t> numbers;
  explicit Sum(std::size_t bytes) : numbers(bytes / sizeof(std::uint64_t), 1) {}
  std::uint64_t operator()() const {
    std::uint64_t sum = 0;
    for (const auto number : numbers) sum += hide_value(number);
    return sum;
  }
};

/// Slices of a function right after one that reads 32 MiB, beside slices after its own: without untimed calls
/// at their start, and with an eighth of their calls, as contests have them.
void carry_over() {
  using contest::TimedFunction;
  contest::TypedInput<contest::Nothing> nothing([] { return contest::Nothing{}; });
  contest::TypedCallable<Sum> all_of_the_cache(Sum(std::size_t{32} << 20U));
  TimedFunction before{.callable = &all_of_the_cache, .input = &nothing};
  for (const std::size_t kibibytes : {16U, 256U}) {
    contest::TypedCallable<Sum> sum(Sum(kibibytes << 10U));
    TimedFunction mine{.callable = &sum, .input = &nothing};
    contest::calibrate(mine, kibibytes == 16 ? 50e-6 : 400e-6);
    for (const bool leads : {false, true}) {
      const auto lead = leads ? std::max<std::uint64_t>(mine.calls / 8, 1) : 0;
      std::vector<double> ratios;
      for (int i = 0; i < 301; ++i) {
        contest::time_slice(before, 1);
        const double disturbed = contest::time_slice(mine, mine.calls, lead);
        ratios.push_back(disturbed / contest::time_slice(mine, mine.calls, lead));
      }
      fmt::print("slice of {} calls over {} KiB after one over 32 MiB, {}: {:+.2f} % (median of 301)\n",
                 mine.calls, kibibytes, leads ? "an eighth of its calls untimed first" : "timed at once",
                 (stats::median(ratios) - 1) * 100);
    }
  }
}

}  // namespace

int main(int argc, char** argv) {
  const int count = argc > 1 ? std::atoi(argv[1]) : 20;
  overheads();
  carry_over();
  fmt::print("\n");
  table(false, count);
  table(true, count);
}
