#include "assay/stats/null_distribution.hpp"

#include <gtest/gtest.h>

#include <cmath>

#include "assay/model/error.hpp"
#include "assay/stats/hodges_lehmann.hpp"
#include "support/reference.hpp"

namespace assay::stats {
namespace {

using test::reference;

TEST(SignedRank, AgreesWithR) {
  // R 4.2: psignrank(t, n)
  EXPECT_NEAR(SignedRank(5).cdf(3), 0.15625, 1e-15);
  EXPECT_NEAR(SignedRank(10).cdf(8), 0.0244140625, 1e-15);
  EXPECT_NEAR(SignedRank(20).cdf(52), 0.02422046661376953, 1e-15);
  EXPECT_NEAR(SignedRank(60).cdf(600) / 0.009916129740945077, 1, 1e-12);
}

TEST(SignedRank, CriticalCountsAreThoseOfPrintedTables) {
  // Wilcoxon & Wilcox 1964, two-sided 5 %: largest T that is significant; the count is one more.
  const std::pair<std::size_t, std::uint64_t> table[] = {{6, 0},  {7, 2},   {8, 3},   {9, 5},
                                                         {10, 8}, {15, 25}, {20, 52}, {25, 89}};
  for (const auto& [n, largest] : table) EXPECT_EQ(SignedRank(n).critical_count(0.05), largest + 1) << n;
  EXPECT_EQ(SignedRank(5).critical_count(0.05), 0U) << "five values can't decide anything at 5 %";
}

TEST(SignedRank, SymmetricAndSumsToOne) {
  for (const std::size_t n : {1U, 2U, 7U, 40U, 300U, 301U, 5000U}) {
    const SignedRank null(n);
    const auto largest = static_cast<std::int64_t>(null.largest());
    for (const auto t : {std::int64_t{0}, largest / 3, largest / 2, largest - 1})
      EXPECT_NEAR(null.cdf(t) + null.cdf(largest - t - 1), 1, 1e-12) << n << " " << t;
    EXPECT_EQ(null.cdf(-1), 0);
    EXPECT_EQ(null.cdf(largest), 1);
  }
}

TEST(SignedRank, ApproximationJoinsTheExactDistributionSmoothly) {
  const SignedRank exact(300), approximate(301);
  const auto at = [](const SignedRank& null, double z) {
    const double n = static_cast<double>(null.n());
    return null.cdf(std::llround(n * (n + 1) / 4 + z * std::sqrt(n * (n + 1) * (2 * n + 1) / 24)));
  };
  for (const double z : {-3.0, -2.0, -1.0, 0.0})
    EXPECT_NEAR(at(exact, z) / at(approximate, z), 1, 0.001 + std::abs(z) * 2e-4) << z;
}

TEST(SignedRank, PValueAndCriticalCountAgree) {
  for (std::size_t n = 1; n <= 30; ++n) {
    const SignedRank null(n);
    const auto c = null.critical_count(0.05);
    if (c > 0) {
      EXPECT_LE(null.p_two_sided(c - 1), 0.05) << n;
    }
    EXPECT_GT(null.p_two_sided(c), 0.05) << n;
  }
}

TEST(SignedRank, RefusesWhatItIsNotDefinedFor) {
  EXPECT_THROW(SignedRank(0), DomainError);
  EXPECT_THROW(SignedRank(5).critical_count(0), DomainError);
  EXPECT_THROW(SignedRank(5).critical_count(1), DomainError);
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

}  // namespace
}  // namespace assay::stats
