#include "assay/stats/symmetric_counts.hpp"

#include <algorithm>
#include <boost/math/distributions/normal.hpp>

#include "assay/stats/require.hpp"

namespace assay::stats {

NullDistribution::NullDistribution(std::uint64_t largest, const std::vector<double>& chances)
    : largest_(largest), lower_(largest / 2 + 1) {
  double sum = 0;
  for (std::size_t t = 0; t < lower_.size(); ++t) lower_[t] = sum += chances[t];
}

double NullDistribution::cdf(std::int64_t t) const {
  if (t < 0) return 0;
  const auto count = static_cast<std::uint64_t>(t);
  if (count >= largest_) return 1;
  if (lower_.empty()) {
    const double z = (static_cast<double>(count) + 0.5 - static_cast<double>(largest_) / 2) / sd_;
    const boost::math::normal standard;
    return boost::math::cdf(standard, z) - excess_ / 24 * (z * z * z - 3 * z) * boost::math::pdf(standard, z);
  }
  if (count < lower_.size()) return lower_[count];
  return 1 - lower_[largest_ - count - 1];
}

double NullDistribution::p_two_sided(std::uint64_t t) const {
  return std::min(1.0, 2 * cdf(static_cast<std::int64_t>(std::min(t, largest_))));
}

std::uint64_t NullDistribution::critical_count(double alpha) const {
  require_level(alpha);
  std::uint64_t low = 0, high = largest_ / 2 + 1;  // 2·cdf(low - 1) ≤ alpha < 2·cdf(high)
  while (low < high) {
    const auto middle = low + (high - low) / 2;
    if (2 * cdf(static_cast<std::int64_t>(middle)) <= alpha)
      low = middle + 1;
    else
      high = middle;
  }
  return low;
}

}  // namespace assay::stats
