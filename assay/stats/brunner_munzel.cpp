#include "assay/stats/brunner_munzel.hpp"

#include <algorithm>
#include <boost/math/distributions/students_t.hpp>
#include <cmath>
#include <limits>
#include <vector>

#include "assay/model/error.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/preconditions.hpp"
#include "assay/stats/rank_sum.hpp"

namespace assay::stats {
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

}  // namespace assay::stats
