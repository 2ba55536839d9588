#include "assay/stats/inverse_variance.hpp"

#include <algorithm>
#include <boost/math/distributions/chi_squared.hpp>
#include <boost/math/distributions/normal.hpp>
#include <boost/math/distributions/students_t.hpp>
#include <cmath>

#include "assay/stats/preconditions.hpp"

namespace assay::stats {
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

}  // namespace assay::stats
