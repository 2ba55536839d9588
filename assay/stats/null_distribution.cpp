#include "assay/stats/null_distribution.hpp"

#include <algorithm>
#include <boost/math/distributions/normal.hpp>
#include <cmath>
#include <vector>

#include "assay/model/error.hpp"
#include "assay/stats/preconditions.hpp"

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

namespace {

std::uint64_t largest_of(std::size_t n) { return static_cast<std::uint64_t>(n) * (n + 1) / 2; }

/// Of T = t, up to the middle: the rest follows by symmetry.
std::vector<double> chances_of(std::size_t n) {
  std::vector<double> chance(largest_of(n) / 2 + 1, 0.0);
  chance[0] = 1;
  for (std::size_t k = 1; k <= n; ++k)
    for (std::size_t t = chance.size(); t-- > 0;)
      chance[t] = 0.5 * (chance[t] + (t >= k ? chance[t - k] : 0.0));
  return chance;
}

NullDistribution distribution_of(std::size_t rounds) {
  if (rounds == 0) throw DomainError("the signed-rank distribution needs at least one value");
  if (rounds <= SignedRank::largest_exact) return {largest_of(rounds), chances_of(rounds)};
  const auto n = static_cast<double>(rounds);
  return {largest_of(rounds), std::sqrt(n * (n + 1) * (2 * n + 1) / 24),
          -12 * (3 * n * n + 3 * n - 1) / (5 * n * (n + 1) * (2 * n + 1))};
}

}  // namespace

SignedRank::SignedRank(std::size_t n) : NullDistribution(distribution_of(n)), n_(n) {}

}  // namespace assay::stats
