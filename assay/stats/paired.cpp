#include "assay/stats/paired.hpp"

#include <algorithm>
#include <boost/math/distributions/binomial.hpp>
#include <boost/math/distributions/normal.hpp>
#include <cmath>
#include <numeric>
#include <vector>

#include "assay/stats/location.hpp"
#include "assay/stats/random.hpp"
#include "assay/stats/ranks.hpp"
#include "assay/stats/require.hpp"

namespace assay::inline v1::stats {
namespace {

constexpr std::size_t largest_exact_pratt = 1000, largest_enumerated = 20;

/// Chance that a sum of these ranks, each in or out with even chance, is at most `limit`.
double chance_at_most(std::span<const std::uint64_t> ranks, std::uint64_t limit) {
  std::vector<double> chance(limit + 1, 0.0);
  chance[0] = 1;
  for (const auto rank : ranks)
    for (auto t = chance.size(); t-- > 0;)
      chance[t] = 0.5 * (chance[t] + (t >= rank ? chance[t - rank] : 0.0));
  return std::min(1.0, std::accumulate(chance.begin(), chance.end(), 0.0));
}

}  // namespace

TestResult signed_rank_test(std::span<const double> differences) {
  require_finite(differences);
  std::vector<double> sizes;
  for (const double d : differences) sizes.push_back(std::abs(d));
  const auto all_ranks = doubled_ranks(sizes);
  std::vector<std::uint64_t> ranks;
  std::uint64_t positive = 0, total = 0;
  for (std::size_t i = 0; i < differences.size(); ++i) {
    if (differences[i] == 0) continue;
    ranks.push_back(all_ranks[i]);
    total += all_ranks[i];
    if (differences[i] > 0) positive += all_ranks[i];
  }
  TestResult result{.statistic = static_cast<double>(positive) / 2};
  if (ranks.empty()) return result;
  const auto lower = std::min(positive, total - positive);
  if (ranks.size() <= largest_exact_pratt) {
    // A common divisor of the ranks makes the table smaller; without ties and zeros all are even.
    std::uint64_t step = 0;
    for (const auto rank : ranks) step = std::gcd(step, rank);
    for (auto& rank : ranks) rank /= step;
    result.p = std::min(1.0, 2 * chance_at_most(ranks, lower / step));
    return result;
  }
  double variance_sum = 0;
  for (const auto rank : ranks) variance_sum += 0.25 * static_cast<double>(rank) * static_cast<double>(rank);
  const double centre = 0.5 * static_cast<double>(total);
  const double z =
      (static_cast<double>(lower) - centre + 1) / std::sqrt(variance_sum);  // half a rank: doubled, 1
  result.p = std::min(1.0, 2 * cdf(boost::math::normal(), std::min(z, 0.0)));
  result.exact = false;
  return result;
}

TestResult sign_test(std::span<const double> differences) {
  require_finite(differences);
  const auto positive = std::ranges::count_if(differences, [](double d) { return d > 0; });
  const auto negative = std::ranges::count_if(differences, [](double d) { return d < 0; });
  TestResult result{.statistic = static_cast<double>(positive)};
  if (positive + negative == 0) return result;
  const boost::math::binomial fair(static_cast<double>(positive + negative), 0.5);
  result.p = std::min(1.0, 2 * cdf(fair, static_cast<double>(std::min(positive, negative))));
  return result;
}

TestResult paired_permutation_test(std::span<const double> differences, std::size_t draws,
                                   std::uint64_t seed) {
  require_finite(differences);
  const auto n = differences.size();
  const double sum = std::accumulate(differences.begin(), differences.end(), 0.0);
  double scale = 0;
  for (const double d : differences) scale += std::abs(d);
  const double as_far =
      std::abs(sum) - 1e-12 * scale;  // sums of the same terms in another order count as equal
  TestResult result{.statistic = sum / static_cast<double>(n)};
  std::size_t seen = 0;
  if (n <= largest_enumerated) {
    const std::size_t all = std::size_t{1} << n;
    for (std::size_t signs = 0; signs < all; ++signs) {
      double s = 0;
      for (std::size_t i = 0; i < n; ++i) s += ((signs >> i) & 1U) != 0 ? differences[i] : -differences[i];
      if (std::abs(s) >= as_far) ++seen;
    }
    result.p = static_cast<double>(seen) / static_cast<double>(all);
    return result;
  }
  Random random(seed);
  for (std::size_t draw = 0; draw < draws; ++draw) {
    double s = 0;
    for (const double d : differences) s += random.below(2) == 0 ? d : -d;
    if (std::abs(s) >= as_far) ++seen;
  }
  result.p = static_cast<double>(seen + 1) / static_cast<double>(draws + 1);
  result.exact = false;
  return result;
}

}  // namespace assay::inline v1::stats
