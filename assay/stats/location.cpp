#include "assay/stats/location.hpp"

#include <algorithm>
#include <boost/math/distributions/binomial.hpp>
#include <boost/math/distributions/students_t.hpp>
#include <cmath>
#include <limits>
#include <numeric>
#include <vector>

#include "assay/model/error.hpp"
#include "assay/stats/preconditions.hpp"

namespace assay::stats {
namespace {

std::vector<double> sorted_copy(std::span<const double> values) {
  require_finite(values);
  std::vector<double> copy(values.begin(), values.end());
  std::ranges::sort(copy);
  return copy;
}

}  // namespace

double mean(std::span<const double> values) {
  require_finite(values);
  return std::accumulate(values.begin(), values.end(), 0.0) / static_cast<double>(values.size());
}

double median(std::span<const double> values) {
  require_finite(values);
  std::vector<double> copy(values.begin(), values.end());
  const auto middle = copy.begin() + static_cast<std::ptrdiff_t>(copy.size() / 2);
  std::ranges::nth_element(copy, middle);
  if (copy.size() % 2 == 1) return *middle;
  return 0.5 * *middle + 0.5 * *std::max_element(copy.begin(), middle);
}

double trimmed_mean(std::span<const double> values, double share) {
  if (!(share >= 0 && share < 0.5)) throw DomainError("a trimmed share must lie in [0, 0.5)", {}, share);
  require_finite(values);
  std::vector<double> copy(values.begin(), values.end());
  const auto cut = static_cast<std::ptrdiff_t>(share * static_cast<double>(copy.size()));
  if (cut > 0) {
    std::nth_element(copy.begin(), copy.begin() + cut, copy.end());
    std::nth_element(copy.begin() + cut, copy.end() - cut, copy.end());
  }
  const auto kept = static_cast<double>(copy.end() - copy.begin() - 2 * cut);
  return std::accumulate(copy.begin() + cut, copy.end() - cut, 0.0) / kept;
}

double quantile(std::span<const double> values, double p, QuantileType type) {
  if (!(p >= 0 && p <= 1)) throw DomainError("a quantile's share must lie between 0 and 1", {}, p);
  const auto sorted = sorted_copy(values);
  const double n = static_cast<double>(sorted.size());
  const double rank = type == QuantileType::type7 ? 1 + (n - 1) * p : (n + 1.0 / 3) * p + 1.0 / 3;
  const double fuzz = 4 * std::numeric_limits<double>::epsilon();  // as R has it, lest 3 − 1e-16 become 2
  const double whole = std::floor(rank + fuzz);
  const double part = std::abs(rank - whole) < fuzz ? 0 : rank - whole;
  const auto at = [&](double r) { return sorted[static_cast<std::size_t>(std::clamp(r, 1.0, n)) - 1]; };
  return part == 0 ? at(whole) : (1 - part) * at(whole) + part * at(whole + 1);
}

Range quantile_interval(std::span<const double> values, double p, double level) {
  require_level(p);
  require_level(level);
  const auto sorted = sorted_copy(values);
  const auto n = sorted.size();
  const boost::math::binomial below(static_cast<double>(n), p);  // how many values lie below the quantile
  const double tail = (1 - level) / 2;
  // X₍l₎ lies above the quantile when at most l − 1 values lie below it.
  std::size_t l = 0;
  while (l < n && cdf(below, static_cast<double>(l)) <= tail) ++l;
  std::size_t u = n + 1;
  while (u > 1 && cdf(complement(below, static_cast<double>(u - 2))) <= tail) --u;
  return {l == 0 ? -std::numeric_limits<double>::infinity() : sorted[l - 1],
          u == n + 1 ? std::numeric_limits<double>::infinity() : sorted[u - 1]};
}

double variance(std::span<const double> values) {
  require_finite(values, 2);
  const double centre = mean(values);
  double sum = 0;
  for (const double v : values) sum += (v - centre) * (v - centre);
  return sum / static_cast<double>(values.size() - 1);
}

Range mean_interval(std::span<const double> values, double level) {
  require_level(level);
  const double spread = std::sqrt(variance(values));  // refuses fewer than two
  const auto n = static_cast<double>(values.size());
  const double t = quantile(complement(boost::math::students_t(n - 1), (1 - level) / 2));
  const double middle = mean(values), half = t * spread / std::sqrt(n);
  return {middle - half, middle + half};
}

double median_absolute_deviation(std::span<const double> values) {
  const double centre = median(values);
  std::vector<double> deviations;
  for (const double v : values) deviations.push_back(std::abs(v - centre));
  return 1.4826 * median(deviations);
}

}  // namespace assay::stats
