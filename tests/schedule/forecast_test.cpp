#include "assay/schedule/forecast.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <vector>

#include "assay/model/error.hpp"
#include "assay/schedule/interim_looks.hpp"
#include "assay/stats/hodges_lehmann.hpp"
#include "assay/stats/null_distribution.hpp"
#include "assay/stats/random.hpp"

namespace assay::schedule {
namespace {

std::vector<double> effects(std::uint64_t seed, std::size_t n, double centre, double sd) {
  stats::Random random(seed);
  std::vector<double> d(n);
  for (auto& v : d) v = centre + sd * random.normal();
  return d;
}

/// The critical count of the last look of a campaign of so many rounds, the others left aside.
std::uint64_t last_count(std::size_t rounds) {
  const auto looks = planned_looks(8, static_cast<int>(rounds));
  return StoppingBoundary(looks).critical_count(looks.size() - 1);
}

TEST(Forecast, KnowsTheFewestRoundsThatCanCallAnything) {
  EXPECT_EQ(min_rounds(1), 6U);
  EXPECT_EQ(min_rounds(40), 11U);
  EXPECT_EQ(min_rounds(1, 0.0625), 5U);
  EXPECT_GE(rounds_to_call(effects(1, 10, 0, 1), 100, {.findings = 40}).typical, 11);
  EXPECT_FALSE(smallest_change(effects(1, 10, 0, 1), 5));
}

TEST(Forecast, TheRoundsItNamesGiveThePowerWishedFor) {
  // A pilot of 2000 makes the spread known. 3000 campaigns at a power of 0.9: below 0.86 or above 0.94 has a
  // chance below 1e-10.
  const double change = 0.012, sd = 0.02;
  const auto n = static_cast<std::size_t>(rounds_to_call(effects(2, 2000, 0, sd), change).typical);
  const auto c = last_count(n);
  int called = 0;
  for (std::uint64_t i = 0; i < 3000; ++i) {
    const stats::WalshAverages walsh(effects(1000 + i, n, change, sd));
    called += std::min(walsh.at_or_below(0), walsh.at_or_above(0)) < c ? 1 : 0;
  }
  EXPECT_GT(called / 3000.0, 0.87) << n << " rounds";
  EXPECT_LT(called / 3000.0, 0.97) << n << " rounds: more than were needed";
}

TEST(Forecast, TheRoundsItNamesSaySameOfNoChange) {
  // As above; the estimate is rougher (half widths vary), so from 0.85 on.
  const double margin = 0.01, sd = 0.015;
  const auto n = static_cast<std::size_t>(rounds_to_say_same(effects(3, 2000, 0, sd), margin).typical);
  const auto c = last_count(n);
  int same = 0;
  for (std::uint64_t i = 0; i < 2000; ++i) {
    const auto interval = stats::WalshAverages(effects(5000 + i, n, 0, sd)).interval(c);
    same += interval.low >= -margin && interval.high <= margin ? 1 : 0;
  }
  EXPECT_GT(same / 2000.0, 0.85) << n << " rounds";
  EXPECT_LT(same / 2000.0, 0.97) << n << " rounds";
}

TEST(Forecast, SmallestChangeIsTheInverse) {
  const auto pilot = effects(4, 12, 0, 0.03);
  for (const std::size_t rounds : {20U, 60U, 200U}) {
    const auto change = smallest_change(pilot, rounds);
    ASSERT_TRUE(change);
    EXPECT_LT(change->low, change->typical);
    EXPECT_LT(change->typical, change->high);
    EXPECT_NEAR(rounds_to_call(pilot, change->typical).typical, static_cast<double>(rounds),
                0.05 * static_cast<double>(rounds))
        << "levels come in steps";
  }
}

TEST(Forecast, LooksAtTheSpreadAndNeverAtTheSign) {
  auto pilot = effects(5, 15, 0.02, 0.01), turned = pilot;
  for (auto& d : turned) d = -d;
  EXPECT_EQ(rounds_to_call(pilot, 0.01).typical, rounds_to_call(turned, 0.01).typical);
  for (auto& d : pilot) d += 5;
  EXPECT_NEAR(rounds_to_call(pilot, 0.01).typical, rounds_to_call(turned, 0.01).typical, 1);
}

TEST(Forecast, TheMarginItNamesIsReachedAsOftenAsItReports) {
  // 80 % asked for; of 2000 campaigns below 76 or above 88 % has a chance below 1e-6.
  const double sd = 0.02;
  for (const std::size_t n : {14U, 28U, 60U}) {
    const auto margin = margin_to_say_same(effects(8, 2000, 0, sd), n, {.power = 0.8});
    ASSERT_TRUE(margin);
    const auto c = last_count(n);
    int same = 0;
    for (std::uint64_t i = 0; i < 2000; ++i) {
      const auto interval = stats::WalshAverages(effects(9000 + i, n, 0, sd)).interval(c);
      same += interval.low >= -margin->typical && interval.high <= margin->typical ? 1 : 0;
    }
    EXPECT_GT(same / 2000.0, 0.76) << n;
    EXPECT_LT(same / 2000.0, 0.88) << n;
  }
  EXPECT_FALSE(margin_to_say_same(effects(8, 10, 0, sd), 5));
}

TEST(ChanceToCall, AgreesWithSimulation) {
  // R 4.2: set.seed(1); mean of 20000 signed-rank tests (psignrank, two-sided) of rnorm(n, delta) at level
  // alpha.
  EXPECT_NEAR(chance_to_call(7, 2, 0.05), 0.983, 0.04);
  EXPECT_NEAR(chance_to_call(12, 1, 0.05), 0.851, 0.03);
  EXPECT_NEAR(chance_to_call(20, 0.6, 0.05), 0.700, 0.03);
  EXPECT_NEAR(chance_to_call(20, 1.5, 0.05 / 12), 0.998, 0.03);
  EXPECT_NEAR(chance_to_call(12, 0, 0.05) * 2, 0.043, 0.01) << "each side by itself";
  EXPECT_EQ(chance_to_call(5, 10, 0.05), 0) << "too few to call anything";
  EXPECT_THROW(chance_to_call(0, 1, 0.05), DomainError);
}

TEST(Forecast, KnowsThatAFewRoundsDecideLargeChangesAmongMany) {
  const auto pilot = effects(7, 5, 0, 0.01);
  const auto few = smallest_change(pilot, 20, {.findings = 12}),
             more = smallest_change(pilot, 60, {.findings = 12});
  ASSERT_TRUE(few.has_value());
  ASSERT_TRUE(more.has_value());
  EXPECT_GT(few->typical, more->typical);
  EXPECT_LT(few->typical, 0.05);
}

TEST(Forecast, RefusesWhatItCannotForecast) {
  const auto pilot = effects(6, 10, 0, 1);
  EXPECT_THROW(rounds_to_call(pilot, 0), DomainError);
  EXPECT_THROW(rounds_to_call(std::vector<double>{1, 2}, 1), DomainError);
  EXPECT_THROW(rounds_to_call(std::vector<double>{1, 1, 1}, 1), DomainError);
  EXPECT_THROW(rounds_to_call(pilot, 1, {.power = 1}), DomainError);
  EXPECT_THROW(rounds_to_call(pilot, 1, {.findings = 0}), DomainError);
  EXPECT_THROW(rounds_to_say_same(pilot, 0), DomainError);
  EXPECT_THROW(min_rounds(0), DomainError);
}

}  // namespace
}  // namespace assay::schedule
