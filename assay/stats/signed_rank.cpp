#include "assay/stats/signed_rank.hpp"

#include <algorithm>
#include <boost/math/distributions/normal.hpp>
#include <cmath>

#include "assay/model/error.hpp"
#include "assay/stats/require.hpp"

namespace assay::inline v1::stats {

SignedRank::SignedRank(std::size_t n) : n_(n), largest_(static_cast<std::uint64_t>(n) * (n + 1) / 2) {
  if (n == 0) throw DomainError("the signed-rank distribution needs at least one value");
  if (n > largest_exact) return;
  std::vector<double> chance(largest_ / 2 + 1, 0.0);  // of T = t, up to the middle: the rest by symmetry
  chance[0] = 1;
  for (std::size_t k = 1; k <= n; ++k)
    for (std::size_t t = chance.size(); t-- > 0;)
      chance[t] = 0.5 * (chance[t] + (t >= k ? chance[t - k] : 0.0));
  lower_.resize(chance.size());
  double sum = 0;
  for (std::size_t t = 0; t < chance.size(); ++t) lower_[t] = sum += chance[t];
}

double SignedRank::cdf(std::int64_t t) const {
  if (t < 0) return 0;
  const auto count = static_cast<std::uint64_t>(t);
  if (count >= largest_) return 1;
  if (lower_.empty()) {
    const double n = static_cast<double>(n_);
    const double sd = std::sqrt(n * (n + 1) * (2 * n + 1) / 24);
    const double z = (static_cast<double>(count) + 0.5 - n * (n + 1) / 4) / sd;
    const double flatness = (3 * n * n + 3 * n - 1) / (10 * n * (n + 1) * (2 * n + 1));
    const boost::math::normal standard;
    return boost::math::cdf(standard, z) + flatness * (z * z * z - 3 * z) * boost::math::pdf(standard, z);
  }
  if (count < lower_.size()) return lower_[count];
  return 1 - lower_[largest_ - count - 1];
}

double SignedRank::p_two_sided(std::uint64_t t) const {
  return std::min(1.0, 2 * cdf(static_cast<std::int64_t>(std::min(t, largest_))));
}

std::uint64_t SignedRank::critical_count(double alpha) const {
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

}  // namespace assay::inline v1::stats
