#include "assay/stats/signed_rank.hpp"

#include <cmath>
#include <vector>

#include "assay/model/error.hpp"

namespace assay::stats {
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
