#include "assay/stats/location.hpp"

#include <algorithm>
#include <boost/math/distributions/binomial.hpp>
#include <boost/math/distributions/chi_squared.hpp>
#include <boost/math/distributions/normal.hpp>
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

namespace {

struct Weighted {
  double mean = 0, weights = 0, squared_weights = 0;
  double residuals = 0;  ///< weighted sum of squares about the mean
};

Weighted weighted(std::span<const double> values, std::span<const double> errors, double between) {
  Weighted sums;
  const auto weight = [&](std::size_t i) { return 1 / (errors[i] * errors[i] + between); };
  double sum = 0;
  for (std::size_t i = 0; i < values.size(); ++i) {
    sums.weights += weight(i);
    sums.squared_weights += weight(i) * weight(i);
    sum += weight(i) * values[i];
  }
  sums.mean = sum / sums.weights;
  for (std::size_t i = 0; i < values.size(); ++i)
    sums.residuals += weight(i) * (values[i] - sums.mean) * (values[i] - sums.mean);
  return sums;
}

}  // namespace

Range InverseVarianceMean::interval(double level) const {
  require_level(level);
  const double tail = (1 + level) / 2;
  const double z =
      freedom > 0 ? quantile(boost::math::students_t(freedom), tail) : quantile(boost::math::normal(), tail);
  return {value - z * standard_error, value + z * standard_error};
}

InverseVarianceMean inverse_variance_mean(std::span<const double> values,
                                          std::span<const double> standard_errors) {
  require_same_length(values, standard_errors);
  require_finite(values);
  require_positive(standard_errors);
  const auto fixed = weighted(values, standard_errors, 0);
  InverseVarianceMean all{.value = fixed.mean, .standard_error = standard_errors.front()};
  all.alike.statistic = fixed.residuals;
  if (values.size() == 1) return all;
  const auto freedom = static_cast<double>(values.size() - 1);
  all.alike.exact = false;
  all.alike.p = cdf(complement(boost::math::chi_squared(freedom), fixed.residuals));
  all.between =
      std::max(0.0, (fixed.residuals - freedom) / (fixed.weights - fixed.squared_weights / fixed.weights));
  const auto random = weighted(values, standard_errors, all.between);
  all.value = random.mean;
  all.freedom = freedom;
  // Estimates that happen to agree better than their errors allow tell of no smaller error.
  all.standard_error = std::sqrt(std::max(1.0, random.residuals / freedom) / random.weights);
  return all;
}

namespace {

/// Takes the median out of effects and gives it to what is common.
void centre(std::vector<double>& effects, double& overall) {
  const double middle = median(effects);
  for (auto& effect : effects) effect -= middle;
  overall += middle;
}

}  // namespace

MedianPolish median_polish(const std::vector<std::vector<double>>& table) {
  constexpr int most_sweeps = 10;
  constexpr double small = 1e-12;
  if (table.empty() || table.front().empty()) throw DomainError("a table without values can't be polished");
  const auto width = table.front().size();
  double largest = 0;
  for (const auto& row : table) {
    if (row.size() != width) throw DomainError("the rows of the table have different lengths");
    for (const double value : row) largest = std::max(largest, std::abs(value));
  }
  auto left = table;
  MedianPolish result{.rows = std::vector<double>(table.size(), 0.0),
                      .columns = std::vector<double>(width, 0.0)};
  for (int sweep = 0; sweep < most_sweeps; ++sweep) {
    double moved = 0;
    for (std::size_t r = 0; r < left.size(); ++r) {
      const double middle = median(left[r]);
      for (auto& value : left[r]) value -= middle;
      result.rows[r] += middle;
      moved = std::max(moved, std::abs(middle));
    }
    centre(result.columns, result.overall);
    for (std::size_t c = 0; c < width; ++c) {
      std::vector<double> column;
      for (const auto& row : left) column.push_back(row[c]);
      const double middle = median(column);
      for (auto& row : left) row[c] -= middle;
      result.columns[c] += middle;
      moved = std::max(moved, std::abs(middle));
    }
    centre(result.rows, result.overall);
    if (sweep > 0 && moved <= small * largest) break;
  }
  return result;
}

}  // namespace assay::stats
