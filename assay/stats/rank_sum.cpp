#include "assay/stats/rank_sum.hpp"

#include <algorithm>
#include <boost/math/distributions/normal.hpp>
#include <boost/math/distributions/students_t.hpp>
#include <cmath>
#include <limits>
#include <numeric>
#include <vector>

#include "assay/model/error.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/preconditions.hpp"

namespace assay::stats {

namespace {

template <class Take>
void each_group(std::span<const double> values, Take&& take) {
  std::vector<std::size_t> order(values.size());
  std::iota(order.begin(), order.end(), std::size_t{0});
  std::ranges::sort(order, {}, [&](std::size_t i) { return values[i]; });
  for (std::size_t first = 0; first < order.size();) {
    std::size_t last = first;
    while (last + 1 < order.size() && values[order[last + 1]] == values[order[first]]) ++last;
    take(std::span(order).subspan(first, last - first + 1), first);
    first = last + 1;
  }
}

}  // namespace

std::vector<std::uint64_t> doubled_ranks(std::span<const double> values) {
  std::vector<std::uint64_t> ranks(values.size());
  each_group(values, [&](std::span<const std::size_t> group, std::size_t before) {
    for (const auto i : group) ranks[i] = 2 * before + group.size() + 1;
  });
  return ranks;
}

namespace {

/// Σ (t³ − t) over the groups of t equal values: what ties take from the variance of a rank sum.
double tie_correction(std::span<const double> values) {
  double sum = 0;
  each_group(values, [&](std::span<const std::size_t> group, std::size_t) {
    const auto t = static_cast<double>(group.size());
    sum += t * t * t - t;
  });
  return sum;
}

constexpr double most_exact_additions = 1e8;

struct Ranked {
  std::vector<std::uint64_t> ranks;  ///< doubled, those of x first
  std::vector<double> pooled;
  std::uint64_t sum_x = 0;
};

Ranked rank_together(std::span<const double> x, std::span<const double> y) {
  require_finite(x);
  require_finite(y);
  Ranked ranked;
  ranked.pooled.assign(x.begin(), x.end());
  ranked.pooled.insert(ranked.pooled.end(), y.begin(), y.end());
  ranked.ranks = doubled_ranks(ranked.pooled);
  for (std::size_t i = 0; i < x.size(); ++i) ranked.sum_x += ranked.ranks[i];
  return ranked;
}

/// Chances of the doubled rank sum of `chosen` of the values, all choices equally likely.
std::vector<double> sum_distribution(std::span<const std::uint64_t> ranks, std::size_t chosen,
                                     std::uint64_t largest) {
  std::vector<std::vector<double>> chance(chosen + 1, std::vector<double>(largest + 1, 0.0));
  chance[0][0] = 1;
  const auto n = static_cast<double>(ranks.size());
  for (std::size_t place = 0; place < ranks.size(); ++place) {
    const auto left = n - static_cast<double>(place);
    for (std::size_t k = std::min(place + 1, chosen) + 1; k-- > 0;)
      for (std::uint64_t s = largest + 1; s-- > 0;) {
        // The place is among the chosen with chance (still to choose)/(still to come).
        const double stay = 1 - std::min(1.0, static_cast<double>(chosen - k) / left);
        double now = chance[k][s] * stay;
        if (k > 0 && s >= ranks[place])
          now += chance[k - 1][s - ranks[place]] * std::min(1.0, static_cast<double>(chosen - k + 1) / left);
        chance[k][s] = now;
      }
  }
  return chance[chosen];
}

}  // namespace

TestResult mann_whitney(std::span<const double> x, std::span<const double> y) {
  const auto ranked = rank_together(x, y);
  const auto m = x.size(), n = y.size();
  const double pairs = static_cast<double>(m) * static_cast<double>(n), all = static_cast<double>(m + n);
  TestResult result;
  result.statistic =
      static_cast<double>(ranked.sum_x) / 2 - static_cast<double>(m) * static_cast<double>(m + 1) / 2;
  const auto total = std::accumulate(ranked.ranks.begin(), ranked.ranks.end(), std::uint64_t{0});
  const bool fewer_x = m <= n;
  const auto chosen = fewer_x ? m : n;
  const auto seen = fewer_x ? ranked.sum_x : total - ranked.sum_x;
  if (all * static_cast<double>(chosen) * static_cast<double>(total) <= most_exact_additions) {
    const auto chance = sum_distribution(ranked.ranks, chosen, total);
    double below = 0, above = 0;
    for (std::uint64_t s = 0; s < chance.size(); ++s) {
      if (s <= seen) below += chance[s];
      if (s >= seen) above += chance[s];
    }
    result.p = std::min(1.0, 2 * std::min(below, above));
    return result;
  }
  const double variance = pairs / 12 * (all + 1 - tie_correction(ranked.pooled) / (all * (all - 1)));
  const double distance = std::max(0.0, std::abs(result.statistic - pairs / 2) - 0.5);
  result.exact = false;
  if (variance > 0)
    result.p = std::min(1.0, 2 * cdf(complement(boost::math::normal(), distance / std::sqrt(variance))));
  return result;
}

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
