#include "assay/stats/distance.hpp"

#include <algorithm>
#include <boost/math/distributions/hypergeometric.hpp>
#include <cmath>
#include <vector>

#include "assay/model/error.hpp"
#include "assay/stats/require.hpp"

namespace assay::inline v1::stats {
namespace {

constexpr double most_exact_points = 1e6;

/// Asymptotic P(√(mn/(m+n))·D ≥ z), Kolmogorov's series.
double kolmogorov_tail(double z) {
  if (z < 0.2) return 1;
  double sum = 0;
  for (int k = 1; k <= 100; ++k) sum += (k % 2 == 1 ? 2 : -2) * std::exp(-2.0 * k * k * z * z);
  return std::clamp(sum, 0.0, 1.0);
}

}  // namespace

TestResult kolmogorov_smirnov(std::span<const double> x, std::span<const double> y) {
  require_finite(x);
  require_finite(y);
  std::vector<double> a(x.begin(), x.end()), b(y.begin(), y.end()), pooled = a;
  pooled.insert(pooled.end(), b.begin(), b.end());
  for (auto* sample : {&a, &b, &pooled}) std::ranges::sort(*sample);
  const double m = static_cast<double>(a.size()), n = static_cast<double>(b.size());
  double distance = 0;
  for (const double v : pooled) {
    const auto up_to = [v](const std::vector<double>& s) {
      return static_cast<double>(std::ranges::upper_bound(s, v) - s.begin());
    };
    distance = std::max(distance, std::abs(up_to(a) / m - up_to(b) / n));
  }
  TestResult result{.statistic = distance};
  if (m * n > most_exact_points) {
    result.p = kolmogorov_tail(distance * std::sqrt(m * n / (m + n)));
    result.exact = false;
    return result;
  }
  // beyond[j]: of all ways to order i values of x and j of y, the share that came as far apart as was seen,
  // at a point where the pooled value changes.
  const double limit = distance - 1e-9 / (m * n);
  const auto changes_after = [&](std::size_t k) {
    return k == pooled.size() || (k > 0 && pooled[k - 1] != pooled[k]);
  };
  std::vector<double> beyond(b.size() + 1, 0.0);
  for (std::size_t i = 0; i <= a.size(); ++i)
    for (std::size_t j = 0; j <= b.size(); ++j) {
      const double di = static_cast<double>(i), dj = static_cast<double>(j);
      double share = 0;
      if (i > 0) share += di / (di + dj) * beyond[j];
      if (j > 0) share += dj / (di + dj) * beyond[j - 1];
      beyond[j] = changes_after(i + j) && std::abs(di / m - dj / n) >= limit ? 1 : share;
    }
  result.p = std::min(1.0, beyond[b.size()]);
  return result;
}

TestResult fisher_exact(std::uint64_t a, std::uint64_t m, std::uint64_t b, std::uint64_t n) {
  if (a > m) throw DomainError("more failures than trials", 0, static_cast<double>(a));
  if (m + n > 4'000'000'000)
    throw DomainError("more trials than Fisher's test is made for", {}, static_cast<double>(m + n));
  if (b > n) throw DomainError("more failures than trials", 1, static_cast<double>(b));
  TestResult result{.statistic = static_cast<double>(a) * static_cast<double>(n - b) /
                                 (static_cast<double>(b) * static_cast<double>(m - a))};
  if (a + b == 0 || a + b == m + n || m == 0 || n == 0) return result;
  const boost::math::hypergeometric_distribution<double> table(
      static_cast<unsigned>(m), static_cast<unsigned>(a + b), static_cast<unsigned>(m + n));
  const auto [low, high] = boost::math::support(table);
  constexpr double equal_enough = 1 + 1e-7;  // chances that differ by rounding only are equal, as in R
  const double seen = pdf(table, static_cast<double>(a)) * equal_enough;
  double p = 0;
  for (auto k = low; k <= high; ++k)
    if (const double chance = pdf(table, k); chance <= seen) p += chance;
  result.p = std::min(1.0, p);
  return result;
}

}  // namespace assay::inline v1::stats
