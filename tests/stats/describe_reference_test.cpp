#include <gtest/gtest.h>

#include <cmath>
#include <numeric>

#include "assay/model/error.hpp"
#include "assay/stats/dip.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/many.hpp"
#include "assay/stats/random.hpp"
#include "assay/stats/resample.hpp"
#include "assay/stats/series.hpp"
#include "support/reference.hpp"

namespace assay::inline v1::stats {
namespace {

using test::reference;

TEST(MeanInterval, IsThatOfTheTTest) {
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
    EXPECT_AGREES(interquartile_range(d, QuantileType::type7), e[6]);
    EXPECT_AGREES(interquartile_range(d, QuantileType::type8), e[7]);
    const double shares[] = {0, 0.05, 0.25, 0.5, 0.9, 1};
    for (std::size_t i = 0; i < 6; ++i) {
      EXPECT_AGREES(quantile(d, shares[i], QuantileType::type7), reference("quantile7." + name)[i]);
      EXPECT_AGREES(quantile(d, shares[i], QuantileType::type8), reference("quantile8." + name)[i]);
    }
    const double inner[] = {0.1, 0.5, 0.9};
    for (std::size_t i = 0; i < 3; ++i)
      EXPECT_AGREES(harrell_davis_quantile(d, inner[i]), reference("harrelldavis." + name)[i]);
    auto positive = d;
    for (auto& v : positive) v = std::abs(v) + 1;
    EXPECT_AGREES(geometric_mean(positive), reference("geometric." + name)[0]);
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
  const std::vector<double> fine = {1, 2}, none, zero = {1, 0};
  EXPECT_THROW(mean(none), DomainError);
  EXPECT_THROW(variance(std::vector<double>{1}), DomainError);
  EXPECT_THROW(geometric_mean(zero), DomainError);
  EXPECT_THROW(trimmed_mean(fine, 0.5), DomainError);
  EXPECT_THROW(quantile(fine, 1.1), DomainError);
  EXPECT_THROW(harrell_davis_quantile(fine, 0), DomainError);
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
    const auto d = drift(s);
    EXPECT_AGREES(d.slope, reference("drift." + name)[0]);
    EXPECT_AGREES(d.test.statistic, reference("drift." + name)[1]);
    EXPECT_NEAR(d.test.p, reference("drift." + name)[2], 1e-8);
    const auto change = change_point(s);
    EXPECT_EQ(static_cast<double>(change.before), reference("pettitt." + name)[0]);
    EXPECT_AGREES(change.test.statistic, reference("pettitt." + name)[1]);
    EXPECT_AGREES(change.test.p, reference("pettitt." + name)[2]);
  }
}

TEST(Series, WarmUpEndsWhereTheLevelSettles) {
  std::vector<double> s = {9, 7, 5, 4, 3};
  Random random(2);
  for (int i = 0; i < 40; ++i) s.push_back(2 + 0.1 * random.normal());
  EXPECT_NEAR(static_cast<double>(warm_up_length(s)), 5, 1);
  EXPECT_EQ(warm_up_length(std::vector<double>{1, 1, 1, 1}), 0U);
  EXPECT_THROW(warm_up_length(std::vector<double>{1, 2, 3}), DomainError);
}

TEST(Dip, AgreesWithR) {
  for (const std::string name : {"tiny", "two", "one", "tied", "three", "big"})
    EXPECT_AGREES(dip(reference("dip.x." + name)), reference("dip." + name)[0]) << name;
  EXPECT_DOUBLE_EQ(dip(std::vector<double>{3, 3, 3}), 1.0 / 6);
}

TEST(DipTest, TellsTwoModesFromOne) {
  EXPECT_LT(dip_test(reference("dip.x.two")).p, 0.001);
  EXPECT_GT(dip_test(reference("dip.x.one")).p, 0.05);
  const auto two = reference("dip.x.two");
  EXPECT_EQ(OneMode(two.size()).test(two).p, dip_test(two).p);
  EXPECT_THROW((void)OneMode(two.size() + 1).test(two), DomainError);
}

TEST(OutlierFences, StandBeyondTheQuartiles) {
  const std::vector<double> v = {1, 2, 3, 4, 5};
  EXPECT_EQ(outlier_fences(v, 1.5).low, -1);
  EXPECT_EQ(outlier_fences(v, 1.5).high, 7);
  EXPECT_THROW(outlier_fences(v, 0), DomainError);
}

TEST(Bootstrap, IntervalsAreThoseOfRButForTheDraws) {
  // An end of 40000 draws varies by about a hundredth of the interval's width; a tenth is many times that.
  for (const std::string name : {"", ".mean", ".lopsided", ".calm"}) {
    SCOPED_TRACE(name);
    const auto& values = reference(name.empty() ? "boot.x" : "boot.x" + name);
    const double trim = name.empty() ? 0.1 : reference("boot.trim" + name)[0];
    const auto statistic = [trim](std::span<const double> v) { return trimmed_mean(v, trim); };
    const BootstrapOptions options{.draws = 40000};
    const auto percentile = percentile_interval(values, statistic, options),
               bca = bca_interval(values, statistic, options);
    const auto &known_percentile = reference("boot.percentile" + name),
               &known_bca = reference("boot.bca" + name);
    const double near = 0.1 * (known_bca[1] - known_bca[0]);
    EXPECT_NEAR(percentile.low, known_percentile[0], near);
    EXPECT_NEAR(percentile.high, known_percentile[1], near);
    EXPECT_NEAR(bca.low, known_bca[0], near);
    EXPECT_NEAR(bca.high, known_bca[1], near);
  }
}

TEST(Bootstrap, RepeatsWithItsSeedAndStaysWithinStrata) {
  const std::vector<double> values = {1, 2, 3, 100, 200, 300};
  const auto average = [](std::span<const double> v) { return mean(v); };
  EXPECT_EQ(bootstrap(values, average, {.draws = 200, .seed = 4}),
            bootstrap(values, average, {.draws = 200, .seed = 4}));
  const auto more = bootstrap(values, average, {.draws = 300, .seed = 4});
  EXPECT_TRUE(std::equal(more.begin(), more.begin() + 200,
                         bootstrap(values, average, {.draws = 200, .seed = 4}).begin()));
  for (const double m : bootstrap(values, average, {.draws = 500, .strata = {0, 0, 0, 1, 1, 1}})) {
    EXPECT_GE(m, (3 * 1 + 3 * 100) / 6.0);
    EXPECT_LE(m, (3 * 3 + 3 * 300) / 6.0);
  }
}

TEST(Bootstrap, RefusesTheMedianABiasCorrection) {
  EXPECT_THROW(bca_interval(reference("boot.x"), [](std::span<const double> v) { return median(v); }),
               DomainError);
  EXPECT_THROW(
      bootstrap(reference("boot.x"), [](std::span<const double> v) { return mean(v); }, {.draws = 0}),
      DomainError);
  EXPECT_THROW(
      bootstrap(reference("boot.x"), [](std::span<const double> v) { return mean(v); }, {.strata = {1}}),
      DomainError);
}

TEST(Permutation, IsValidAndRepeats) {
  const auto distance = [](std::span<const double> a, std::span<const double> b) {
    return mean(a) - mean(b);
  };
  const std::vector<double> low = {1, 2, 3, 4, 5, 6}, high = {11, 12, 13, 14, 15, 16};
  // Only 2 of 924 labellings are as extreme: about 0.0022.
  EXPECT_NEAR(permutation_p_value(low, high, distance), 2.0 / 924, 0.003);
  EXPECT_EQ(permutation_p_value(low, low, distance), 1);
}

}  // namespace
}  // namespace assay::inline v1::stats
