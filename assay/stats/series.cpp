#include "assay/stats/series.hpp"

#include <algorithm>
#include <boost/math/distributions/chi_squared.hpp>
#include <boost/math/distributions/normal.hpp>
#include <cmath>
#include <vector>

#include "assay/model/error.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/preconditions.hpp"

namespace assay::stats {

double autocorrelation(std::span<const double> values, std::size_t lag) {
  require_finite(values, 2);
  if (lag < 1 || lag >= values.size())
    throw DomainError("a lag must lie between 1 and n - 1", {}, static_cast<double>(lag));
  const double centre = mean(values);
  double together = 0, all = 0;
  for (std::size_t t = 0; t < values.size(); ++t) {
    all += (values[t] - centre) * (values[t] - centre);
    if (t + lag < values.size()) together += (values[t] - centre) * (values[t + lag] - centre);
  }
  return all == 0 ? 0 : together / all;
}

TestResult ljung_box(std::span<const double> values, std::size_t lags) {
  require_finite(values, 2);
  const double n = static_cast<double>(values.size());
  double q = 0;
  for (std::size_t lag = 1; lag <= std::max<std::size_t>(lags, 1); ++lag)
    q += std::pow(autocorrelation(values, lag), 2) / (n - static_cast<double>(lag));
  q *= n * (n + 2);
  const boost::math::chi_squared null(static_cast<double>(std::max<std::size_t>(lags, 1)));
  return {.statistic = q, .p = cdf(complement(null, q)), .exact = false};
}

TrendTest test_trend(std::span<const double> values) {
  require_finite(values, 3);
  std::vector<double> slopes;
  slopes.reserve(values.size() * (values.size() - 1) / 2);
  double s = 0;
  for (std::size_t i = 0; i < values.size(); ++i)
    for (std::size_t j = i + 1; j < values.size(); ++j) {
      const double rise = values[j] - values[i];
      s += rise > 0 ? 1 : rise < 0 ? -1 : 0;
      slopes.push_back(rise / static_cast<double>(j - i));
    }
  // Σ t(t−1)(2t+5) over the groups of t equal values.
  double ties = 0;
  std::vector<double> sorted(values.begin(), values.end());
  std::ranges::sort(sorted);
  for (auto at = sorted.begin(); at != sorted.end();) {
    const auto end = std::upper_bound(at, sorted.end(), *at);
    const auto t = static_cast<double>(end - at);
    ties += t * (t - 1) * (2 * t + 5);
    at = end;
  }
  const double n = static_cast<double>(values.size());
  const double spread = (n * (n - 1) * (2 * n + 5) - ties) / 18;
  TrendTest result{.slope = median(slopes), .test = {.statistic = s, .exact = false}};
  if (spread > 0) {
    const double z = std::max(0.0, std::abs(s) - 1) / std::sqrt(spread);
    result.test.p = std::min(1.0, 2 * cdf(complement(boost::math::normal(), z)));
  }
  return result;
}

Range outlier_fences(std::span<const double> values, double reach) {
  if (!(reach > 0)) throw DomainError("fences need a reach above zero", {}, reach);
  const double q1 = quantile(values, 0.25, QuantileType::type7),
               q3 = quantile(values, 0.75, QuantileType::type7);
  return {q1 - reach * (q3 - q1), q3 + reach * (q3 - q1)};
}

}  // namespace assay::stats
