#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <vector>

#include "assay/model/error.hpp"
#include "assay/stats/hodges_lehmann.hpp"
#include "assay/stats/random.hpp"

namespace assay::stats {
namespace {

std::vector<double> all_averages(const std::vector<double>& values) {
  std::vector<double> all;
  for (std::size_t i = 0; i < values.size(); ++i)
    for (std::size_t j = i; j < values.size(); ++j) all.push_back(0.5 * values[i] + 0.5 * values[j]);
  std::ranges::sort(all);
  return all;
}

/// Samples with ties, zeros and far-off values.
std::vector<double> sample(std::uint64_t seed, std::size_t n) {
  Random random(seed);
  std::vector<double> values(n);
  for (auto& v : values)
    v = random.below(4) == 0 ? static_cast<double>(random.below(3)) - 1 : random.normal();
  if (random.below(5) == 0) values[0] = 1e12;
  return values;
}

TEST(WalshAverages, SelectsEveryRankAsSortingAllOfThemDoes) {
  for (std::uint64_t seed = 1; seed <= 60; ++seed) {
    const auto values = sample(seed, 1 + seed % 17);
    const auto all = all_averages(values);
    const WalshAverages walsh(values);
    ASSERT_EQ(walsh.total(), all.size());
    for (std::size_t k = 1; k <= all.size(); ++k) ASSERT_EQ(walsh.select(k), all[k - 1]) << seed << " " << k;
  }
}

TEST(WalshAverages, CountsAgreeWithCountingAllOfThem) {
  for (std::uint64_t seed = 1; seed <= 40; ++seed) {
    const auto values = sample(seed, 1 + seed % 23);
    const auto all = all_averages(values);
    const WalshAverages walsh(values);
    for (const double x : {-1.0, -0.5, 0.0, 0.1, 1.0, all.front(), all.back(), all[all.size() / 2]}) {
      EXPECT_EQ(walsh.at_or_below(x),
                static_cast<std::uint64_t>(std::ranges::count_if(all, [x](double w) { return w <= x; })));
      EXPECT_EQ(walsh.at_or_above(x),
                static_cast<std::uint64_t>(std::ranges::count_if(all, [x](double w) { return w >= x; })));
    }
    EXPECT_EQ(walsh.at_or_below(std::numeric_limits<double>::infinity()), walsh.total());
  }
}

TEST(WalshAverages, EstimateAndIntervalAgreeWithR) {
  // R 4.2: wilcox.test(first - second, conf.int = TRUE) gives V = 40, (pseudo)median 0.46, interval 0.01 to
  // 0.786; the data are Hollander & Wolfe's on depression, which ship with R.
  const std::vector<double> first = {1.83, 0.50, 1.62, 2.48, 1.68, 1.88, 1.55, 3.06, 1.30};
  const std::vector<double> second = {0.878, 0.647, 0.598, 2.05, 1.06, 1.29, 1.06, 3.14, 1.29};
  std::vector<double> d(first.size());
  std::ranges::transform(first, second, d.begin(), std::minus());
  const WalshAverages walsh(d);
  EXPECT_NEAR(walsh.median(), 0.46, 1e-12);
  const auto interval = walsh.interval(6);
  EXPECT_NEAR(interval.low, 0.01, 1e-12);
  EXPECT_NEAR(interval.high, 0.786, 1e-12);
  EXPECT_EQ(walsh.at_or_below(0), 5U);
}

TEST(WalshAverages, IntervalIsUnboundedWithoutACriticalCount) {
  const std::vector<double> values = {1, 2, 3};
  const auto interval = WalshAverages(values).interval(0);
  EXPECT_TRUE(std::isinf(interval.low) && interval.low < 0);
  EXPECT_TRUE(std::isinf(interval.high) && interval.high > 0);
}

TEST(WalshAverages, TurnsWithTheSignAndDoesNotMindTheOrder) {
  auto values = sample(5, 31);
  const WalshAverages walsh(values);
  Random(1).shuffle(std::span(values));
  const WalshAverages shuffled(values);
  for (auto& v : values) v = -v;
  const WalshAverages turned(values);
  EXPECT_EQ(walsh.median(), shuffled.median());
  EXPECT_EQ(walsh.median(), -turned.median());
  EXPECT_EQ(walsh.interval(20).low, -turned.interval(20).high);
}

TEST(WalshAverages, RefusesBadInputAndNamesIt) {
  EXPECT_THROW(WalshAverages(std::vector<double>{}), DomainError);
  try {
    WalshAverages(std::vector<double>{1, 2, std::nan("")});
    FAIL() << "NaN was taken";
  } catch (const DomainError& error) {
    EXPECT_EQ(error.index(), 2U);
  }
  const WalshAverages walsh(std::vector<double>{1, 2});
  EXPECT_THROW(walsh.select(0), DomainError);
  EXPECT_THROW(walsh.select(4), DomainError);
  EXPECT_THROW(walsh.interval(3), DomainError);
}

}  // namespace
}  // namespace assay::stats
