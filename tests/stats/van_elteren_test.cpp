#include "assay/stats/van_elteren.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <vector>

#include "assay/model/error.hpp"
#include "assay/stats/random.hpp"

namespace assay::stats {
namespace {

TEST(VanElteren, OneBlockGivesMannWhitneyCounts) {
  // R 4.2: pwilcox(u, m, n)
  const double of_3_and_4[] = {0.028571428571428571, 0.057142857142857141, 0.114285714285714282, 0.2};
  for (int u = 0; u < 4; ++u) EXPECT_NEAR(BlockedRanks(1, 3, 4).cdf(u), of_3_and_4[u], 1e-15) << u;
  EXPECT_NEAR(BlockedRanks(1, 9, 9).cdf(20), 0.038502673796791446, 1e-14);
  EXPECT_NEAR(BlockedRanks(1, 6, 5).cdf(10), 0.21428571428571427, 1e-14);
}

TEST(BlockedRanks, AddUpOverRounds) {
  // Three rounds of one value beside four: 13 counts, the smallest with a chance of 1 in 125.
  const BlockedRanks three(3, 1, 4);
  EXPECT_EQ(three.largest(), 12U);
  const double of_three[] = {1, 4, 10, 20, 35, 53, 72};
  for (int t = 0; t < 7; ++t) EXPECT_NEAR(three.cdf(t), of_three[t] / 125, 1e-15) << t;
  // Two of one beside two: 1, 2, 3, 2, 1 ninths.
  const BlockedRanks two(2, 1, 2);
  const double of_two[] = {1, 3, 6, 8, 9};
  for (int t = 0; t < 5; ++t) EXPECT_NEAR(two.cdf(t), of_two[t] / 9, 1e-15) << t;
  // R 4.2: convolve() of dwilcox(0:6, 2, 3), five times, of dwilcox(0:81, 9, 9), seven times, and of
  // dwilcox(0:9, 1, 9), sixty times; each summed up.
  EXPECT_NEAR(BlockedRanks(5, 2, 3).cdf(3), 0.00086, 1e-15);
  EXPECT_NEAR(BlockedRanks(5, 2, 3).cdf(10), 0.12474, 1e-14);
  EXPECT_NEAR(BlockedRanks(7, 9, 9).cdf(219), 0.016167928645527956, 1e-13);
  EXPECT_NEAR(BlockedRanks(60, 1, 9).cdf(219), 0.01147627259251795574, 1e-13);
}

TEST(BlockedRanks, ApproximationJoinsTheExactDistribution) {
  const BlockedRanks exact(95, 9, 9), approximate(96, 9, 9);
  const auto at = [](const BlockedRanks& null, double rounds, double z) {
    const double sd = std::sqrt(rounds * 81 * 19 / 12);
    return null.cdf(static_cast<std::int64_t>(std::round(rounds * 40.5 + z * sd)));
  };
  for (const double z : {-3.5, -3.0, -2.0, -1.0, 0.0})
    EXPECT_NEAR(at(approximate, 96, z) / at(exact, 95, z), 1, 0.02);
}

TEST(BlockedRanks, RefuseWhatTheyAreNotDefinedFor) {
  EXPECT_THROW(BlockedRanks(0, 1, 4), DomainError);
  EXPECT_THROW(BlockedRanks(3, 0, 4), DomainError);
  const std::vector<double> two = {1, 2}, three = {1, 2, 3}, bad = {1, std::nan("")};
  EXPECT_THROW(WithinBlockDifferences(two, three, 1, 2), DomainError);
  EXPECT_THROW(WithinBlockDifferences(two, bad, 1, 1), DomainError);
  EXPECT_THROW(WithinBlockDifferences(two, two, 1, 1).interval(2), DomainError);
}

TEST(WithinBlockDifferences, CountsTheDifferencesOfEachRound) {
  const std::vector<double> dear = {10, 20}, cheap = {1, 2, 12, 19, 18, 30};
  const WithinBlockDifferences all(dear, cheap, 1, 3);  // −9, −8, 2 and −1, −2, 10
  EXPECT_EQ(all.total(), 6U);
  EXPECT_EQ(all.at_or_below(0), 4U);
  EXPECT_EQ(all.at_or_below(-2), 3U);
  EXPECT_EQ(all.at_or_above(-2), 4U);
  EXPECT_EQ(all.median(), -1.5);
  EXPECT_EQ(all.interval(1).low, -9);
  EXPECT_EQ(all.interval(2).high, 2);
  EXPECT_EQ(all.interval(0).high, std::numeric_limits<double>::infinity());
}

/// Whatever rounds share, an order drawn at random makes every place of the one among the others equally
/// likely: of all 4³ ways to place it, each count comes up as often as the distribution says.
TEST(WithinBlockDifferences, DistributedAsBlockedRanks) {
  std::map<std::uint64_t, int> seen;
  const std::vector<std::vector<double>> rounds = {{5, 1, 9, 3}, {100, 108, 90, 70}, {0.1, 0.4, 0.2, 0.3}};
  for (std::size_t way = 0; way < 64; ++way) {
    std::vector<double> one, others;
    auto rest = way;
    for (const auto& round : rounds) {
      for (std::size_t i = 0; i < round.size(); ++i) (i == rest % 4 ? one : others).push_back(round[i]);
      rest /= 4;
    }
    ++seen[WithinBlockDifferences(one, others, 1, 3).at_or_below(0)];
  }
  const BlockedRanks null(3, 1, 3);
  int so_far = 0;
  for (const auto& [count, times] : seen)
    EXPECT_NEAR((so_far += times) / 64.0, null.cdf(static_cast<std::int64_t>(count)), 1e-15) << count;
}

/// 4000 campaigns of five rounds, seeded. More than 280 misses have a chance below 1e-6 at the 5 % that an
/// interval may miss (binomial).
TEST(WithinBlockDifferences, IntervalsCover) {
  const auto critical = BlockedRanks(5, 1, 6).critical_count(0.05);
  Random random(11);
  int missed = 0;
  for (int campaign = 0; campaign < 4000; ++campaign) {
    std::vector<double> one, others;
    for (int round = 0; round < 5; ++round) {
      const double state = random.below(2) == 0 ? 1 : 0;  // of the machine
      one.push_back(state + random.normal() * (1 + state));
      for (int i = 0; i < 6; ++i) others.push_back(0.3 + state + random.normal() * (1 + state));
    }
    const auto bounds = WithinBlockDifferences(one, others, 1, 6).interval(critical);
    missed += bounds.low > 0.3 || bounds.high < 0.3 ? 1 : 0;
  }
  EXPECT_LT(missed, 280);
  EXPECT_GT(missed, 60) << "far too wide";
}

}  // namespace
}  // namespace assay::stats
