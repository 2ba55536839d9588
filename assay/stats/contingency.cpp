#include "assay/stats/contingency.hpp"

#include <algorithm>
#include <boost/math/distributions/hypergeometric.hpp>
#include <cmath>

#include "assay/model/error.hpp"
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

}  // namespace assay::stats
