#include <gtest/gtest.h>

#include <cmath>
#include <numeric>

#include "assay/model/error.hpp"
#include "assay/stats/dip.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/multiple_testing.hpp"
#include "assay/stats/segments.hpp"
#include "support/reference.hpp"

namespace assay::stats {
namespace {

using test::reference;

TEST(MeanInterval, AgreesWithTheTTest) {
  for (const auto* name : {"tiny", "ties"}) {
    const auto bounds = mean_interval(reference(std::string("paired.") + name), 0.9);
    const auto& expected = reference(std::string("mean_interval.") + name);
    EXPECT_AGREES(bounds.low, expected[0]);
    EXPECT_AGREES(bounds.high, expected[1]);
  }
  EXPECT_THROW(mean_interval(std::vector<double>{1}, 0.9), DomainError);
  EXPECT_THROW(mean_interval(std::vector<double>{1, 2}, 1), DomainError);
}

TEST(Location, AgreesWithR) {
  for (const std::string name : {"tiny", "ties", "medium", "large"}) {
    SCOPED_TRACE(name);
    const auto& d = reference("paired." + name);
    const auto& e = reference("location." + name);
    EXPECT_AGREES(mean(d), e[0]);
    EXPECT_AGREES(median(d), e[1]);
    EXPECT_AGREES(trimmed_mean(d, 0.1), e[2]);
    EXPECT_AGREES(trimmed_mean(d, 0.25), e[3]);
    EXPECT_AGREES(variance(d), e[4]);
    EXPECT_AGREES(median_absolute_deviation(d), e[5]);
    const double shares[] = {0, 0.05, 0.25, 0.5, 0.9, 1};
    for (std::size_t i = 0; i < 6; ++i) {
      EXPECT_AGREES(quantile(d, shares[i], QuantileType::type7), reference("quantile7." + name)[i]);
      EXPECT_AGREES(quantile(d, shares[i], QuantileType::type8), reference("quantile8." + name)[i]);
    }
  }
}

TEST(QuantileInterval, TakesTheOrderStatisticsOfTheBinomial) {
  for (const int n : {5, 6, 20, 100})
    for (const int p : {5, 9}) {
      std::vector<double> places(static_cast<std::size_t>(n));
      std::iota(places.begin(), places.end(), 1.0);
      const auto& e = reference("orderstatistics." + std::to_string(n) + "." + std::to_string(p));
      const auto interval = quantile_interval(places, p / 10.0, 0.95);
      EXPECT_EQ(std::isinf(interval.low) ? 0 : interval.low, e[0]) << n << " " << p;
      EXPECT_EQ(std::isinf(interval.high) ? n + 1 : interval.high, e[1]) << n << " " << p;
    }
}

TEST(Location, RefusesBadInput) {
  const std::vector<double> fine = {1, 2}, none;
  EXPECT_THROW(mean(none), DomainError);
  EXPECT_THROW(variance(std::vector<double>{1}), DomainError);
  EXPECT_THROW(trimmed_mean(fine, 0.5), DomainError);
  EXPECT_THROW(quantile(fine, 1.1), DomainError);
  EXPECT_THROW(quantile_interval(fine, 0.5, 1), DomainError);
}

TEST(ManyTests, AdjustedAsInR) {
  const auto bh = adjust_benjamini_hochberg(reference("many.p")), holm = adjust_holm(reference("many.p"));
  for (std::size_t i = 0; i < bh.size(); ++i) {
    EXPECT_AGREES(bh[i], reference("many.BH")[i]);
    EXPECT_AGREES(holm[i], reference("many.holm")[i]);
  }
}

TEST(Series, AgreesWithR) {
  for (const std::string name : {"drifting", "tied", "steps", "noise"}) {
    SCOPED_TRACE(name);
    const auto& s = reference("series." + name);
    EXPECT_AGREES(autocorrelation(s), reference("lag1." + name)[0]);
    for (const std::size_t lags : {1U, 3U}) {
      const auto result = ljung_box(s, lags);
      EXPECT_AGREES(result.statistic, reference("ljungbox" + std::to_string(lags) + "." + name)[0]);
      EXPECT_AGREES(result.p, reference("ljungbox" + std::to_string(lags) + "." + name)[1]);
    }
    const auto d = test_trend(s);
    EXPECT_AGREES(d.slope, reference("drift." + name)[0]);
    EXPECT_AGREES(d.test.statistic, reference("drift." + name)[1]);
    EXPECT_NEAR(d.test.p, reference("drift." + name)[2], 1e-8);
    const auto change = pettitt_test(s);
    EXPECT_EQ(static_cast<double>(change.after), reference("pettitt." + name)[0]);
    EXPECT_AGREES(change.statistic, reference("pettitt." + name)[1]);
    EXPECT_AGREES(change.p, reference("pettitt." + name)[2]);
  }
}

TEST(Dip, AgreesWithR) {
  for (const std::string name : {"tiny", "two", "one", "tied", "three", "big"})
    EXPECT_AGREES(dip(reference("dip.x." + name)), reference("dip." + name)[0]) << name;
  EXPECT_DOUBLE_EQ(dip(std::vector<double>{3, 3, 3}), 1.0 / 6);
}

TEST(OutlierFences, StandBeyondTheQuartiles) {
  const std::vector<double> v = {1, 2, 3, 4, 5};
  EXPECT_EQ(outlier_fences(v, 1.5).low, -1);
  EXPECT_EQ(outlier_fences(v, 1.5).high, 7);
  EXPECT_THROW(outlier_fences(v, 0), DomainError);
}

}  // namespace
}  // namespace assay::stats
