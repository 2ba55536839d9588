#include "assay/stats/strata.hpp"

#include <gmock/gmock.h>

#include <algorithm>
#include <numeric>

#include "assay/model/error.hpp"
#include "assay/stats/random.hpp"
#include "support/reference.hpp"

namespace assay::stats {
namespace {

using testing::ElementsAre;

const std::vector<double> in_three = {1, 2, 3, 4, 5.5, 6, 7.25, 8, 9, 1.5, 2, 12, 3, 3, 20};
const std::vector<int> their_strata = {0, 0, 0, 0, 0, 1, 1, 1, 1, 2, 2, 2, 2, 2, 2};

TEST(Strata, WelchsTestAgreesWithR) {
  const auto test = welch_anova(in_three, their_strata);  // oneway.test(x ~ g)
  EXPECT_NEAR(test.statistic, 9.147193177, 1e-9);
  EXPECT_NEAR(test.p, 0.00894522799, 1e-11);
}

TEST(Strata, KruskalAndWallissStatisticAgreesWithRTiesAndAll) {
  EXPECT_NEAR(kruskal_wallis(in_three, their_strata).statistic, 4.06756756757, 1e-10);  // kruskal.test(x, g)
}

/// All 20 ways to deal six values to two strata of three: 2 have sums as far apart as {1, 2, 3}. p of 99 999
/// draws lies within 0.005 of 0.1 with a chance of all but 1e-6 (five standard errors).
TEST(Strata, RanksAreJudgedAsByAllOrders) {
  const std::vector<double> apart = {1, 2, 3, 4, 5, 6};
  EXPECT_NEAR(kruskal_wallis(apart, std::vector<int>{0, 0, 0, 1, 1, 1}, 99'999).p, 0.1, 0.005);
  EXPECT_EQ(kruskal_wallis(apart, std::vector<int>(6, 0)).p, 1);
  EXPECT_EQ(kruskal_wallis(std::vector<double>(6, 2.0), std::vector<int>{0, 0, 0, 1, 1, 1}).p, 1);
}

TEST(Strata, ThatDoNotVaryAreUnlikeOnlyWhereNoneDoes) {
  const std::vector<int> of = {0, 0, 1, 1};
  EXPECT_EQ(welch_anova(std::vector<double>{1, 1, 2, 2}, of).p, 0);
  EXPECT_EQ(welch_anova(std::vector<double>{1, 1, 1, 1}, of).p, 1);
  EXPECT_EQ(welch_anova(std::vector<double>{1, 1, 2, 3}, of).p, 1);
}

TEST(Strata, LevelsAreThoseOfQuickPairs) {
  const std::vector<double> middles = {10, 30, 12, 31, 11, 29, 50};
  EXPECT_THAT(excess_levels(middles, std::vector<int>{0, 1, 0, 1, 0, 1, 1}, 0),
              ElementsAre(0, 19, 0, 19, 0, 19, 19));
  EXPECT_THAT(excess_levels(middles, std::vector<int>{0, 1, 0, 1, 0, 1, 1}, 1),
              ElementsAre(-19, 0, -19, 0, -19, 0, 0));
}

/// Of 17 pairs the level is the third smallest.
TEST(Strata, OfManyPairsTheEighthPartIsQuick) {
  std::vector<double> middles(17);
  std::iota(middles.begin(), middles.end(), 1.0);
  middles.push_back(0);
  std::vector<int> of(17, 1);
  of.push_back(0);
  EXPECT_EQ(excess_levels(middles, of, 0).front(), 3);
}

TEST(Strata, WhatIsNoStratumIsRefused) {
  EXPECT_THROW(kruskal_wallis(in_three, std::vector<int>{0, 1}), DomainError);
  EXPECT_THROW(excess_levels(std::vector<double>{1}, std::vector<int>{-1}, 0), DomainError);
  EXPECT_THROW(welch_anova(in_three, std::vector<int>(in_three.size(), 0)), DomainError);
  EXPECT_THROW(welch_anova(std::vector<double>{1, 2, 3}, std::vector<int>{0, 0, 1}), DomainError);
}

}  // namespace
}  // namespace assay::stats
