#include "assay/stats/unequal.hpp"

#include <algorithm>
#include <boost/math/distributions/fisher_f.hpp>
#include <boost/math/distributions/students_t.hpp>
#include <cmath>
#include <limits>
#include <vector>

#include "assay/model/error.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/ranks.hpp"
#include "assay/stats/require.hpp"
#include "assay/stats/resample.hpp"

namespace assay::inline v1::stats {
namespace {

struct BrunnerMunzel {
  double statistic = 0, freedom = 0;
};

std::vector<double> plain_ranks(std::span<const double> values) {
  std::vector<double> ranks;
  for (const auto rank : doubled_ranks(values)) ranks.push_back(0.5 * static_cast<double>(rank));
  return ranks;
}

/// Variance of the differences between a sample's ranks among all and among its own.
double placement_variance(std::span<const double> among_all, std::span<const double> own) {
  const auto inner = plain_ranks(own);
  std::vector<double> placements(own.size());
  for (std::size_t i = 0; i < own.size(); ++i) placements[i] = among_all[i] - inner[i];
  return variance(placements);
}

BrunnerMunzel brunner_munzel_statistic(std::span<const double> pooled, std::size_t m) {
  const auto x = pooled.first(m), y = pooled.subspan(m);
  const auto ranks = plain_ranks(pooled);
  const auto rx = std::span(ranks).first(m), ry = std::span(ranks).subspan(m);
  const double nx = static_cast<double>(x.size()), ny = static_cast<double>(y.size());
  const double vx = nx * placement_variance(rx, x), vy = ny * placement_variance(ry, y);
  const double distance = nx * ny * (mean(ry) - mean(rx)) / (nx + ny);
  if (vx + vy == 0)
    return {distance == 0 ? 0 : std::copysign(std::numeric_limits<double>::infinity(), distance),
            nx + ny - 2};
  return {distance / std::sqrt(vx + vy), (vx + vy) * (vx + vy) / (vx * vx / (nx - 1) + vy * vy / (ny - 1))};
}

std::vector<double> pool(std::span<const double> x, std::span<const double> y) {
  require_finite(x, 2);
  require_finite(y, 2);
  std::vector<double> pooled(x.begin(), x.end());
  pooled.insert(pooled.end(), y.begin(), y.end());
  return pooled;
}

double two_sided_t(double t, double freedom) {
  if (std::isinf(t)) return 0;
  return std::min(1.0, 2 * cdf(complement(boost::math::students_t(freedom), std::abs(t))));
}

}  // namespace

TestResult brunner_munzel(std::span<const double> x, std::span<const double> y) {
  const auto pooled = pool(x, y);
  const auto bm = brunner_munzel_statistic(pooled, x.size());
  return {.statistic = bm.statistic, .p = two_sided_t(bm.statistic, bm.freedom), .exact = false};
}

TestResult brunner_munzel_permuted(std::span<const double> x, std::span<const double> y, std::size_t draws,
                                   std::uint64_t seed) {
  const double seen = brunner_munzel_statistic(pool(x, y), x.size()).statistic;
  const auto relabelled = [](std::span<const double> a, std::span<const double> b) {
    return brunner_munzel_statistic(pool(a, b), a.size()).statistic;
  };
  return {.statistic = seen, .p = permutation_p_value(x, y, relabelled, draws, seed), .exact = false};
}

TestResult welch(std::span<const double> x, std::span<const double> y) {
  pool(x, y);
  const double vx = variance(x) / static_cast<double>(x.size()),
               vy = variance(y) / static_cast<double>(y.size());
  if (vx + vy == 0) throw DomainError("all values of both samples are equal: no spread to compare means by");
  const double t = (mean(x) - mean(y)) / std::sqrt(vx + vy);
  const double freedom =
      (vx + vy) * (vx + vy) /
      (vx * vx / static_cast<double>(x.size() - 1) + vy * vy / static_cast<double>(y.size() - 1));
  return {.statistic = t, .p = two_sided_t(t, freedom), .exact = false};
}

TestResult brown_forsythe(std::span<const double> x, std::span<const double> y) {
  pool(x, y);
  const auto deviations = [](std::span<const double> values) {
    const double centre = median(values);
    std::vector<double> all;
    for (const double v : values) all.push_back(std::abs(v - centre));
    return all;
  };
  const auto dx = deviations(x), dy = deviations(y);
  const double m = static_cast<double>(x.size()), n = static_cast<double>(y.size());
  const double overall = (m * mean(dx) + n * mean(dy)) / (m + n);
  const double between = m * std::pow(mean(dx) - overall, 2) + n * std::pow(mean(dy) - overall, 2);
  const double within = (m - 1) * variance(dx) + (n - 1) * variance(dy);
  if (within == 0)
    return {.statistic = between == 0 ? 0 : std::numeric_limits<double>::infinity(),
            .p = between == 0 ? 1.0 : 0.0,
            .exact = false};
  const double f = between / (within / (m + n - 2));
  return {.statistic = f, .p = cdf(complement(boost::math::fisher_f(1, m + n - 2), f)), .exact = false};
}

}  // namespace assay::inline v1::stats
