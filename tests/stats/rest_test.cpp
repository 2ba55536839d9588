#include <gtest/gtest.h>

#include <cmath>
#include <numeric>
#include <vector>

#include "assay/model/error.hpp"
#include "assay/stats/change_posterior.hpp"
#include "assay/stats/contingency.hpp"
#include "assay/stats/multiple_testing.hpp"
#include "assay/stats/preconditions.hpp"
#include "assay/stats/random.hpp"

namespace assay::stats {
namespace {

TEST(SignFlipTail, AgreesWithEnumeration) {
  // R 4.2: a <- abs(d); g <- as.matrix(expand.grid(rep(list(c(-1,1)), 8))); mean(g %*% a >= sum(d))
  EXPECT_DOUBLE_EQ(sign_flip_tail(std::vector{1.2, -0.4, 2.2, 0.9, 3.1, -0.2, 0.3, 5.0}), 0.0234375);
  EXPECT_DOUBLE_EQ(sign_flip_tail(std::vector{1.0, 1.0, 1.0}), 0.125);
  EXPECT_DOUBLE_EQ(sign_flip_tail(std::vector{-1.0, -1.0, -1.0}), 1);
  EXPECT_DOUBLE_EQ(sign_flip_tail(std::vector{0.0, 0.0}), 1);
  EXPECT_THROW((void)sign_flip_tail({}), DomainError);
}

/// P(sum of the values with random signs ≥ the sum seen), by all 2^n signs, on the side on which the sum
/// lies.
double tail_by_all_signs(const std::vector<double>& d) {
  const double seen = std::abs(std::accumulate(d.begin(), d.end(), 0.0)) - 1e-9;
  std::size_t as_far = 0;
  for (std::size_t signs = 0; signs < (std::size_t{1} << d.size()); ++signs) {
    double sum = 0;
    for (std::size_t i = 0; i < d.size(); ++i) sum += ((signs >> i) & 1U) != 0 ? d[i] : -d[i];
    as_far += sum >= seen ? 1 : 0;
  }
  return static_cast<double>(as_far) / static_cast<double>(std::size_t{1} << d.size());
}

TEST(SignFlipTail, ApproximatesEnumerationForManyValues) {
  Random random(31);
  int compared = 0;
  for (int i = 0; i < 60; ++i) {
    std::vector<double> d(15 + static_cast<std::size_t>(i % 6));
    for (auto& x : d) x = 0.4 + random.normal() + (random.uniform() < 0.15 ? 8 : 0);
    const double exact = tail_by_all_signs(d), near = sign_flip_tail(d);
    if (exact < 1e-4 || exact > 0.45) continue;
    ++compared;
    EXPECT_NEAR(near / exact, 1, 0.12) << i << ": " << exact;
  }
  EXPECT_GT(compared, 20);
}

TEST(MeanChange, IntervalIsWhatNeitherTestRejects) {
  const std::vector<double> a = {10, 11, 9, 10, 12, 10, 9, 11, 10, 10},
                            b = {12, 12, 11, 13, 12, 11, 12, 36, 11, 12};
  const MeanChange ratio(a, b, true), difference(a, b, false);
  EXPECT_NEAR(ratio.estimate(), 142.0 / 102, 1e-12);
  EXPECT_NEAR(difference.estimate(), 4, 1e-12);
  for (const auto* change : {&ratio, &difference}) {
    const auto bounds = change->interval(0.9);
    EXPECT_LT(bounds.low, change->estimate());
    EXPECT_GT(bounds.high, change->estimate());
    EXPECT_LE(change->p_above(bounds.low - 1e-3), 0.05);
    EXPECT_GT(change->p_above(bounds.low + 1e-2), 0.05);
    EXPECT_LE(change->p_below(bounds.high + 1e-3), 0.05);
    EXPECT_GT(change->p_below(bounds.high - 1e-2), 0.05);
  }
  const std::vector<double> three = {1, 2, 3}, more = {2, 3, 4};
  EXPECT_EQ(MeanChange(three, more, true).interval(0.95).low, 0) << "three rounds reject nothing";
  EXPECT_EQ(MeanChange(three, more, true).interval(0.95).high, INFINITY);
  EXPECT_THROW(MeanChange(std::vector{0.0}, std::vector{1.0}, true), DomainError);
}

/// 800 campaigns of 40 rounds each: at a coverage of 93 % more than 93 misses have a chance below 1e-6.
TEST(MeanChange, CoversTheChangeOfTheMeanWhereRunsStall) {
  struct Case {
    double stalls_a, stalls_b;
  };
  for (const auto& [stalls_a, stalls_b] : {Case{0.1, 0.1}, {0.2, 0.4}, {0.0, 0.3}}) {
    Random random(32);
    int missed = 0;
    for (int i = 0; i < 800; ++i) {
      std::vector<double> a, b;
      for (int r = 0; r < 40; ++r) {
        a.push_back(std::exp(0.03 * random.normal()) * (random.uniform() < stalls_a ? 3 : 1));
        b.push_back(std::exp(0.03 * random.normal()) * (random.uniform() < stalls_b ? 3 : 1));
      }
      const auto bounds = MeanChange(a, b, true).interval(0.95);
      const double truth = (1 + 2 * stalls_b) / (1 + 2 * stalls_a);
      missed += truth < bounds.low || truth > bounds.high ? 1 : 0;
    }
    EXPECT_LE(missed, 93) << stalls_a << " against " << stalls_b;
  }
}

TEST(SlowShare, CountsRunsBeyondACommonLimit) {
  const std::vector<double> a = {0, 0, 0, 5, 0, 0, 0, 0}, b = {1, 1, 9, 9, 1, 9, 1, 1};
  const auto share = slow_share(a, b, 2);
  EXPECT_EQ(share.limit, 3) << "half of the slower ones are 1 at most";
  EXPECT_EQ(share.a, 1U);
  EXPECT_EQ(share.b, 3U);
  EXPECT_EQ(share.only_a, 0U);
  EXPECT_EQ(share.only_b, 2U);
  EXPECT_DOUBLE_EQ(share.p_more(), 0.25);
  EXPECT_DOUBLE_EQ(share.p_fewer(), 1);
  EXPECT_EQ(slow_share(b, a, 2).only_a, 2U) << "the limit is the same for both";
  // R 4.2: binom.test(9, 11, alternative = "greater")$p.value
  const SlowShare many{.rounds = 60, .only_a = 2, .only_b = 9};
  EXPECT_NEAR(many.p_more(), 0.03271484375, 1e-12);
}

TEST(SlowShare, LeavesOpenWhatSoManyRoundsCouldNotShow) {
  EXPECT_NEAR(SlowShare::left_open(7), 0.348, 5e-4);
  EXPECT_NEAR(SlowShare::left_open(28), 0.101, 5e-4);
  EXPECT_NEAR(SlowShare::left_open(60), 0.0487, 5e-4);
}

/// The likeliest chance of "a alone" where b alone is more likely by `share`, by trying all.
double score_by_search(double n, double more, double fewer, double share) {
  double best = -INFINITY, chance = 0;
  for (double q = 1e-9; q < 1 - share; q += 1e-6) {
    const double rest = 1 - share - 2 * q;
    if (rest <= 0) break;
    const double likely =
        more * std::log(q + share) + fewer * std::log(q) + (n - more - fewer) * std::log(rest);
    if (likely > best) {
      best = likely;
      chance = q;
    }
  }
  return (more - fewer - n * share) / std::sqrt(n * (2 * chance + share * (1 - share)));
}

TEST(SlowShare, RulesOutAShareByTheScoreTest) {
  for (const std::size_t n : {28U, 41U, 42U, 60U, 100U})
    for (std::size_t more = 0; more < 7; ++more)
      for (std::size_t fewer = 0; fewer < 4; ++fewer) {
        const SlowShare share{.rounds = n, .only_a = fewer, .only_b = more};
        const double z = score_by_search(static_cast<double>(n), static_cast<double>(more),
                                         static_cast<double>(fewer), 0.1);
        if (std::abs(z + 1.645) > 0.01) {
          EXPECT_EQ(share.rules_out(0.1, true), z < -1.645) << n << ' ' << more << ' ' << fewer;
        }
      }
  EXPECT_TRUE((SlowShare{.rounds = 28}.rules_out(0.1, true)));
  EXPECT_FALSE((SlowShare{.rounds = 20}.rules_out(0.1, true)));
  EXPECT_FALSE((SlowShare{.rounds = 28, .only_b = 1}.rules_out(0.1, true)));
  EXPECT_TRUE((SlowShare{.rounds = 28, .only_b = 1}.rules_out(0.1, false)));
}

TEST(OnlineDiscoveries, EarnLevelForThoseToCome) {
  OnlineDiscoveries deciding;
  EXPECT_NEAR(deciding.level(), 0.025 / 2.2857656569, 1e-9);
  EXPECT_NEAR(deciding.level(9), 0.025 / 2.2857656569 * std::pow(10, -1.6), 1e-9);
  EXPECT_FALSE(deciding.decide(0.02));
  const double before = deciding.level();
  EXPECT_TRUE(deciding.decide(1e-4));
  EXPECT_GT(deciding.level(), before);
}

/// 400 years of 120 tests, one in ten of them of something: the share of false rejections is 5 % at most on
/// the average, and its standard error here below 0.8 %, so 9 % is five of them.
TEST(OnlineDiscoveries, KeepTheShareOfFalseOnes) {
  Random random(33);
  double share = 0, found = 0;
  for (int year = 0; year < 400; ++year) {
    OnlineDiscoveries deciding;
    int made = 0, wrong = 0;
    for (int i = 0; i < 120; ++i) {
      const bool real = random.uniform() < 0.1;
      const double p = random.uniform() * (real ? 1e-4 : 1);
      if (!deciding.decide(p)) continue;
      ++made;
      wrong += real ? 0 : 1;
    }
    share += made > 0 ? static_cast<double>(wrong) / made : 0;
    found += made;
  }
  EXPECT_LT(share / 400, 0.09);
  EXPECT_GT(found / 400, 8);
}

}  // namespace
}  // namespace assay::stats
