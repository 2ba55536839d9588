#include <gtest/gtest.h>

#include <cmath>

#include "assay/model/error.hpp"
#include "assay/stats/paired.hpp"
#include "assay/stats/random.hpp"
#include "assay/stats/signed_rank.hpp"
#include "assay/stats/walsh.hpp"
#include "support/reference.hpp"

namespace assay::inline v1::stats {
namespace {

using test::reference;

const auto paired_names = {"tiny", "small", "ties", "zeros", "extreme", "medium", "large"};

TEST(SignedRankTest, AgreesWithTheExactPrattTestOfR) {
  for (const std::string name : paired_names) {
    SCOPED_TRACE(name);
    const auto result = signed_rank_test(reference("paired." + name));
    EXPECT_TRUE(result.exact);
    EXPECT_AGREES(result.p, reference("pratt." + name)[0]);
  }
}

TEST(SignedRankTest, AllZerosSayNothing) {
  EXPECT_EQ(signed_rank_test(reference("paired.allzero")).p, 1);
  EXPECT_EQ(sign_test(reference("paired.allzero")).p, 1);
  EXPECT_EQ(paired_permutation_test(reference("paired.allzero")).p, 1);
}

TEST(SignedRankTest, WithoutTiesAndZerosItIsTheTableDistribution) {
  Random random(3);
  for (std::size_t n = 1; n < 60; ++n) {
    std::vector<double> d(n);
    for (auto& v : d) v = random.normal() + 0.2;
    const auto result = signed_rank_test(d);
    const auto w = static_cast<std::uint64_t>(result.statistic);
    const SignedRank null(n);
    EXPECT_AGREES(result.p, null.p_two_sided(std::min(w, null.largest() - w)));
  }
}

TEST(SignedRankTest, ApproximationJoinsTheExactTest) {
  Random random(4);
  std::vector<double> d(1060);
  for (auto& v : d) v = std::round(10 * (random.normal() + 0.08)) / 10;
  const auto beyond = signed_rank_test(d);
  EXPECT_FALSE(beyond.exact);
  d.resize(1000);
  const auto exact = signed_rank_test(d);
  EXPECT_TRUE(exact.exact);
  EXPECT_NEAR(beyond.p / exact.p, 1, 0.9) << "sixty values of a thousand move it a little";
}

TEST(SignTest, AgreesWithR) {
  for (const std::string name : paired_names)
    EXPECT_AGREES(sign_test(reference("paired." + name)).p, reference("sign." + name)[0]);
}

TEST(PairedPermutation, AgreesWithGoingThroughAllSigns) {
  for (const std::string name : {"tiny", "ties", "zeros"})
    EXPECT_AGREES(paired_permutation_test(reference("paired." + name)).p,
                  reference("permutation." + name)[0]);
}

TEST(PairedPermutation, DrawsComeNearTheExactValueAndRepeat) {
  // 100000 draws at p about 0.3: a distance of 0.012 is more than eight standard errors, chance below 1e-15.
  std::vector<double> d = reference("paired.ties");
  while (d.size() <= 20) d.push_back(0);  // zeros change nothing but the way it is computed
  const auto drawn = paired_permutation_test(d, 100000, 5);
  EXPECT_FALSE(drawn.exact);
  EXPECT_NEAR(drawn.p, reference("permutation.ties")[0], 0.012);
  EXPECT_EQ(drawn.p, paired_permutation_test(d, 100000, 5).p);
}

TEST(WalshInterval, AgreesWithRWhereItIsExact) {
  for (const std::string name : {"tiny", "small", "distinct"}) {
    SCOPED_TRACE(name);
    const auto& d = reference("paired." + name);
    const auto& expected = reference("walsh." + name);
    const WalshAverages walsh(d);
    const SignedRank null(d.size());
    const auto t = std::min(walsh.at_or_below(0), walsh.at_or_above(0));
    EXPECT_AGREES(null.p_two_sided(t), expected[0]);
    if (d.size() < 50) {
      EXPECT_NEAR(walsh.median(), expected[1], 1e-8);
    }
    const auto interval = walsh.interval(null.critical_count(0.05));
    EXPECT_AGREES(interval.low, expected[2]);
    EXPECT_AGREES(interval.high, expected[3]);
  }
}

TEST(SignedRankDistribution, AgreesWithRUpToTheLargestExact) {
  for (const auto& [t, n] :
       {std::pair{0, 1}, {3, 5}, {8, 10}, {52, 20}, {600, 60}, {9000, 200}, {20000, 300}})
    EXPECT_AGREES(SignedRank(static_cast<std::size_t>(n)).cdf(t),
                  reference("psignrank." + std::to_string(t) + "." + std::to_string(n))[0]);
}

TEST(PairedTests, RefuseBadInput) {
  const std::vector<double> nan = {1, std::nan("")}, none;
  EXPECT_THROW(signed_rank_test(none), DomainError);
  EXPECT_THROW(signed_rank_test(nan), DomainError);
  EXPECT_THROW(sign_test(nan), DomainError);
  EXPECT_THROW(paired_permutation_test(none), DomainError);
}

TEST(SignedRankTest, PIsAtMostAWithAChanceOfAtMostAAndReachesIt) {
  // All 2^n sign patterns of ties and distinct sizes: the exact distribution of p.
  for (const auto& sizes : {std::vector<double>{1, 2, 3, 4, 5, 6, 7, 8}, {1, 1, 1, 2, 2, 3, 5, 5}}) {
    std::map<double, int> seen;
    for (unsigned signs = 0; signs < 256; ++signs) {
      auto d = sizes;
      for (std::size_t i = 0; i < d.size(); ++i)
        if (((signs >> i) & 1U) != 0) d[i] = -d[i];
      ++seen[signed_rank_test(d).p];
    }
    int up_to = 0;
    for (const auto& [p, count] : seen) {
      up_to += count;
      if (p < 1) {
        EXPECT_NEAR(up_to / 256.0, p, 1e-12) << "equality at attainable levels";
      }
    }
  }
}

}  // namespace
}  // namespace assay::inline v1::stats
