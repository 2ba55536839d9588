#include "assay/stats/pooled.hpp"

#include <boost/math/distributions/chi_squared.hpp>
#include <cmath>

#include "assay/stats/require.hpp"

namespace assay::inline v1::stats {

Pooled pooled(std::span<const double> values, std::span<const double> standard_errors) {
  require_same_length(values, standard_errors);
  require_finite(values);
  require_positive(standard_errors);
  double weights = 0, sum = 0;
  for (std::size_t i = 0; i < values.size(); ++i) {
    const double weight = 1 / (standard_errors[i] * standard_errors[i]);
    weights += weight;
    sum += weight * values[i];
  }
  Pooled all{.value = sum / weights, .standard_error = 1 / std::sqrt(weights)};
  for (std::size_t i = 0; i < values.size(); ++i)
    all.alike.statistic += std::pow((values[i] - all.value) / standard_errors[i], 2);
  if (values.size() > 1) {
    all.alike.exact = false;
    const boost::math::chi_squared null(static_cast<double>(values.size() - 1));
    all.alike.p = boost::math::cdf(boost::math::complement(null, all.alike.statistic));
  }
  return all;
}

}  // namespace assay::inline v1::stats
