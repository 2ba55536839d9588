#include <gtest/gtest.h>

#include <vector>

#include "assay/judge/sequential.hpp"
#include "support/series.hpp"

namespace assay::judge {
namespace {

using test::family;

/// Rounds of one dear trial beside several cheap ones, each round in a state of the machine of its own.
PairedSeries with_repeats(stats::Random& random, std::size_t rounds, int repeats, double effect) {
  PairedSeries series{.comparison = {{0}, {1}}, .replication = {1, repeats}};
  for (std::size_t i = 0; i < rounds; ++i) {
    const double state = random.normal();
    series.rounds.push_back(static_cast<int>(i) + 2);
    series.baseline.push_back(state + 0.1 * random.normal());
    for (int k = 0; k < repeats; ++k) series.candidate.push_back(state + effect + 0.1 * random.normal());
  }
  return series;
}

TEST(Sequential, RepeatsDecideALargeEffectInFewRounds) {
  stats::Random random(8);
  const std::vector<PairedSeries> one = {with_repeats(random, 10, 4, -3)};
  const auto f = decide_family(one, family(0.1), Stage::ended).front();
  EXPECT_EQ(f.verdict, Verdict::better);
  EXPECT_EQ(f.decided_at_round, 5U);
  EXPECT_EQ(f.rounds, 10U);
  EXPECT_EQ(f.replication, (Replication{1, 4}));
  EXPECT_TRUE(f.interval.contains(-3));
  EXPECT_LT(f.interval.high - f.interval.low, 1);
  EXPECT_FALSE(f.all_runs);
}

TEST(Sequential, RepeatsOfTwoAlikeAreTheSame) {
  stats::Random random(9);
  const std::vector<PairedSeries> one = {with_repeats(random, 60, 9, 0)};
  EXPECT_EQ(decide_family(one, family(0.2), Stage::ended).front().verdict, Verdict::same);
}

/// 1500 campaigns of at most 20 rounds without any difference, looked at from three rounds on, seeded; at 5 %
/// more than 118 calls have a chance below 1e-6 (binomial).
TEST(Sequential, RepeatsKeepTheErrorRateOverAllLooks) {
  stats::Random random(10);
  int called = 0;
  for (int campaign = 0; campaign < 1500; ++campaign) {
    const std::vector<PairedSeries> one = {with_repeats(random, 20, 4, 0)};
    const auto verdict = decide_family(one, family(1e-9, 20), Stage::ended).front().verdict;
    called += verdict == Verdict::better || verdict == Verdict::worse ? 1 : 0;
  }
  EXPECT_LE(called, 118);
  EXPECT_GE(called, 20) << "far too careful";
}

}  // namespace
}  // namespace assay::judge
