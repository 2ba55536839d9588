#include "assay/contest/slices.hpp"

#include <gtest/gtest.h>

#include <algorithm>

#include "assay/contest/threads.hpp"

namespace assay::contest {
namespace {

struct Counting {
  std::shared_ptr<std::vector<int>> calls;
  int id;
  int operator()() {
    calls->push_back(id);
    return id;
  }
};

TEST(Slices, CalibrationFillsTheTimeAskedFor) {
  TypedInput<Nothing> nothing([] { return Nothing{}; });
  TypedCallable<int (*)()> callable([] {
    volatile unsigned sum = 0;
    for (unsigned i = 0; i < 100; ++i) sum = sum + i;
    return 1;
  });
  TimedFunction timed{.callable = &callable, .input = &nothing};
  calibrate(timed, 1e-3);
  EXPECT_GT(timed.calls, 100U) << "a hundred turns take well below ten microseconds";
  TimedFunction slow{.callable = &callable, .input = &nothing};
  calibrate(slow, 1e-12);
  EXPECT_EQ(slow.calls, 1U) << "one call at least";
}

TEST(Slices, EveryBlockHasEachContenderOnceInAFreshOrder) {
  TypedInput<Nothing> nothing([] { return Nothing{}; });
  const auto calls = std::make_shared<std::vector<int>>();
  TypedCallable<Counting> a({calls, 0}), b({calls, 1}), c({calls, 2});
  std::vector<TimedFunction> three(3);
  Callable* callables[] = {&a, &b, &c};
  for (std::size_t i = 0; i < 3; ++i) {
    three[i].callable = callables[i];
    three[i].input = &nothing;
    three[i].calls = 1;
  }
  stats::Random random(5);
  run_blocks(three, 2e-3, random);
  ASSERT_GT(calls->size(), 40U);
  const auto blocks = three[0].seconds_per_call.size();
  EXPECT_EQ(three[1].seconds_per_call.size(), blocks);
  EXPECT_EQ(three[2].seconds_per_call.size(), blocks);
  int a_first = 0;
  std::size_t at = 0;
  for (std::size_t block = 0; block < blocks; ++block) {
    const std::size_t size = 3;
    const std::vector<int> order(calls->begin() + static_cast<std::ptrdiff_t>(at),
                                 calls->begin() + static_cast<std::ptrdiff_t>(at + size));
    EXPECT_EQ(std::ranges::count(order, 0), 1);
    EXPECT_EQ(std::ranges::count(order, 1), 1);
    EXPECT_EQ(std::ranges::count(order, 2), 1);
    a_first += std::ranges::find(order, 0) < std::ranges::find(order, 1) ? 1 : 0;
    at += size;
  }
  // Half of them, give or take: five standard deviations, so below 1e-6.
  const auto all = static_cast<double>(blocks);
  EXPECT_NEAR(a_first, all / 2, 2.5 * std::sqrt(all));
}

TEST(Slices, OneBlockIsRunHoweverLongItTakes) {
  TypedInput<Nothing> nothing([] { return Nothing{}; });
  TypedCallable<int (*)()> callable([] { return 1; });
  std::vector<TimedFunction> one(1);
  one[0].callable = &callable;
  one[0].input = &nothing;
  one[0].calls = 3;
  stats::Random random(1);
  run_blocks(one, 0, random);
  EXPECT_EQ(one[0].seconds_per_call.size(), 3U) << "so few calls are timed one by one";
  EXPECT_EQ(one[0].calls_made, 3U);
}

TEST(Slices, BeginWithCallsThatAreNotTimed) {
  TypedInput<Nothing> nothing([] { return Nothing{}; });
  const auto calls = std::make_shared<std::vector<int>>();
  TypedCallable<Counting> callable({calls, 0});
  std::vector<TimedFunction> one(1);
  one[0].callable = &callable;
  one[0].input = &nothing;
  one[0].calls = 80;
  stats::Random random(1);
  run_blocks(one, 0, random);
  EXPECT_EQ(one[0].seconds_per_call.size(), 1U);
  EXPECT_EQ(calls->size(), 90U) << "an eighth before the clock is read";
}

TEST(Slices, ThreadsAreTimedFromTheFirstStartToTheLastEnd) {
  // One thread by the same path as two: the work of two that do not disturb each other takes no less.
  const auto median_of_slices = [](std::size_t threads) {
    TypedInput<Nothing> nothing([] { return Nothing{}; });
    ThreadGroup group(threads);
    TimedFunction timed{.input = &nothing, .threads = &group};
    const TypedCallable<int (*)()> spin([] {
      volatile unsigned sum = 0;
      for (unsigned i = 0; i < 20000; ++i) sum = sum + i;
      return 1;
    });
    for (std::size_t i = 0; i < threads; ++i) timed.of_threads.push_back(spin.fresh());
    std::vector<double> took;
    for (int i = 0; i < 51; ++i) took.push_back(time_slice(timed, 10));
    std::ranges::sort(took);
    return took[10];
  };
  const double one = median_of_slices(1), two = median_of_slices(2);
  EXPECT_GT(two, 0.8 * one) << "the clock begins when the work does, not when this thread is told";
}

TEST(SliceClock, GoesOnAtARateItKnows) {
  const auto& clock = SliceClock::instance();
  const auto first = clock.now();
  const auto steady = std::chrono::steady_clock::now();
  while (std::chrono::steady_clock::now() - steady < std::chrono::milliseconds(20)) {
  }
  const double seconds = static_cast<double>(clock.now() - first) * clock.seconds_per_tick();
  EXPECT_GE(seconds, 0.0199);
  EXPECT_GT(clock.overhead(), 0);
}

TEST(ThreadCounters, CountOrSayWhyNot) {
  ThreadCounters counters;
  counters.start();
  volatile unsigned sum = 0;
  for (unsigned i = 0; i < 1000000; ++i) sum = sum + i;
  const auto counts = counters.stop();
  const auto instructions = counts[static_cast<std::size_t>(measure::Counter::instructions)];
  if (counters.offers(measure::Counter::instructions))
    EXPECT_GT(instructions.value_or(0), 1e6);
  else
    EXPECT_FALSE(counters.problem().empty());
}

}  // namespace
}  // namespace assay::contest
