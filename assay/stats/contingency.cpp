#include "assay/stats/contingency.hpp"

#include <algorithm>
#include <boost/math/distributions/binomial.hpp>
#include <boost/math/distributions/hypergeometric.hpp>
#include <cmath>
#include <vector>

#include "assay/model/error.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/preconditions.hpp"

namespace assay::stats {

TestResult fisher_exact(std::uint64_t a, std::uint64_t m, std::uint64_t b, std::uint64_t n) {
  if (a > m) throw DomainError("more failures than trials", 0, static_cast<double>(a));
  if (m + n > 4'000'000'000)
    throw DomainError("more trials than Fisher's test is made for", {}, static_cast<double>(m + n));
  if (b > n) throw DomainError("more failures than trials", 1, static_cast<double>(b));
  TestResult result{.statistic = static_cast<double>(a) * static_cast<double>(n - b) /
                                 (static_cast<double>(b) * static_cast<double>(m - a))};
  if (a + b == 0 || a + b == m + n || m == 0 || n == 0) return result;
  const boost::math::hypergeometric_distribution<double> table(
      static_cast<unsigned>(m), static_cast<unsigned>(a + b), static_cast<unsigned>(m + n));
  const auto [low, high] = boost::math::support(table);
  constexpr double equal_enough = 1 + 1e-7;  // chances that differ by rounding only are equal, as in R
  const double seen = pdf(table, static_cast<double>(a)) * equal_enough;
  double p = 0;
  for (auto k = low; k <= high; ++k)
    if (const double chance = pdf(table, k); chance <= seen) p += chance;
  result.p = std::min(1.0, p);
  return result;
}

namespace {

/// The chance that of so many rounds with one slow run, `at_least` have it on one given side.
double even_tail(std::size_t rounds, std::size_t at_least) {
  if (at_least == 0) return 1;
  const boost::math::binomial fair(static_cast<double>(rounds), 0.5);
  return cdf(complement(fair, static_cast<double>(at_least) - 1));
}

}  // namespace

double SlowShare::p_more() const { return even_tail(only_a + only_b, only_b); }
double SlowShare::p_fewer() const { return even_tail(only_a + only_b, only_a); }

bool SlowShare::rules_out(double share, bool more) const {
  require_level(share);
  constexpr double z_of_5_percent = 1.6448536269514722;
  const auto n = static_cast<double>(rounds);
  const auto mine = static_cast<double>(more ? only_b : only_a),
             its = static_cast<double>(more ? only_a : only_b);
  // The likeliest chance of "only the other side" where the two chances differ by `share`.
  const double p = 2 * n, q = (2 * n - mine + its) * share - mine - its, r = -its * share * (1 - share);
  const double other = (std::sqrt(q * q - 4 * p * r) - q) / (2 * p);
  const double z = (mine - its - n * share) / std::sqrt(n * (2 * other + share * (1 - share)));
  return z <= -z_of_5_percent;
}

double SlowShare::left_open(std::size_t rounds) {
  return rounds == 0 ? 1 : 1 - std::pow(0.05, 1 / static_cast<double>(rounds));
}

SlowShare slow_share(std::span<const double> a, std::span<const double> b, double beyond) {
  require_same_length(a, b);
  require_finite(a);
  require_finite(b);
  std::vector<double> slower(a.size());
  std::ranges::transform(a, b, slower.begin(), [](double x, double y) { return std::max(x, y); });
  SlowShare share{.limit = median(slower) + beyond, .rounds = a.size()};
  for (std::size_t r = 0; r < a.size(); ++r) {
    const bool mine = b[r] > share.limit, its = a[r] > share.limit;
    share.a += its ? 1 : 0;
    share.b += mine ? 1 : 0;
    share.only_a += its && !mine ? 1 : 0;
    share.only_b += mine && !its ? 1 : 0;
  }
  return share;
}

}  // namespace assay::stats
