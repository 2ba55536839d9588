#include "assay/stats/van_elteren.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include "assay/model/error.hpp"
#include "assay/stats/preconditions.hpp"

namespace assay::stats {
namespace {

/// Chances of the Mann–Whitney count of x and y values: the last in order of size is of either side with
/// chances x and y in x + y, and if of the second it is above all x.
std::vector<double> chances_of_round(std::size_t x, std::size_t y) {
  std::vector<std::vector<double>> of(y + 1);  // by values of the second side, for so many of the first
  for (std::size_t i = 0; i <= x; ++i)
    for (std::size_t j = 0; j <= y; ++j) {
      std::vector<double> chance(i * j + 1, 0.0);
      const auto share = [&](std::size_t part) {
        return static_cast<double>(part) / static_cast<double>(i + j);
      };
      if (i == 0 || j == 0) chance[0] = 1;
      if (i > 0 && j > 0) {
        for (std::size_t u = 0; u < of[j].size(); ++u) chance[u] += share(i) * of[j][u];
        for (std::size_t u = 0; u < of[j - 1].size(); ++u) chance[u + i] += share(j) * of[j - 1][u];
      }
      of[j] = std::move(chance);
    }
  return of[y];
}

std::vector<double> convolved(const std::vector<double>& round, std::size_t rounds) {
  std::vector<double> all = {1};
  for (std::size_t r = 0; r < rounds; ++r) {
    std::vector<double> next(all.size() + round.size() - 1, 0.0);
    for (std::size_t t = 0; t < all.size(); ++t)
      for (std::size_t u = 0; u < round.size(); ++u) next[t + u] += all[t] * round[u];
    all = std::move(next);
  }
  return all;
}

NullDistribution distribution_of(std::size_t rounds, std::size_t x, std::size_t y) {
  constexpr double most_exact = 6e7;
  if (rounds == 0 || x == 0 || y == 0)
    throw DomainError("blocked ranks need at least one round and a value of each side");
  const std::uint64_t largest = rounds * x * y;
  const auto round = chances_of_round(x, y);
  if (static_cast<double>(largest) * static_cast<double>(largest) < most_exact)
    return {largest, convolved(round, rounds)};
  double second = 0, fourth = 0;  // central moments of a round's count
  for (std::size_t u = 0; u < round.size(); ++u) {
    const double off = static_cast<double>(u) - static_cast<double>(x * y) / 2;
    second += round[u] * off * off;
    fourth += round[u] * off * off * off * off;
  }
  const auto n = static_cast<double>(rounds);
  return {largest, std::sqrt(n * second), (fourth / (second * second) - 3) / n};
}

}  // namespace

BlockedRanks::BlockedRanks(std::size_t rounds, std::size_t x, std::size_t y)
    : NullDistribution(distribution_of(rounds, x, y)) {}

WithinBlockDifferences::WithinBlockDifferences(std::span<const double> a, std::span<const double> b,
                                               std::size_t x, std::size_t y) {
  require_finite(a);
  require_finite(b);
  if (x == 0 || y == 0 || a.size() % x != 0 || a.size() / x != b.size() / y || b.size() % y != 0)
    throw DomainError("rounds need the same number of values each", {}, static_cast<double>(a.size()));
  sorted_.reserve(a.size() * y);
  for (std::size_t round = 0; round < a.size() / x; ++round)
    for (const double mine : b.subspan(round * y, y))
      for (const double its : a.subspan(round * x, x)) sorted_.push_back(mine - its);
  std::ranges::sort(sorted_);
}

std::uint64_t WithinBlockDifferences::at_or_below(double shift) const {
  return static_cast<std::uint64_t>(std::ranges::upper_bound(sorted_, shift) - sorted_.begin());
}

std::uint64_t WithinBlockDifferences::at_or_above(double shift) const {
  return static_cast<std::uint64_t>(sorted_.end() - std::ranges::lower_bound(sorted_, shift));
}

double WithinBlockDifferences::median() const {
  const auto half = sorted_.size() / 2;
  return sorted_.size() % 2 == 1 ? sorted_[half] : 0.5 * sorted_[half - 1] + 0.5 * sorted_[half];
}

Range WithinBlockDifferences::interval(std::uint64_t c) const {
  if (c == 0) return {-std::numeric_limits<double>::infinity(), std::numeric_limits<double>::infinity()};
  if (c > (total() + 1) / 2)
    throw DomainError("the critical count is beyond the middle", {}, static_cast<double>(c));
  return {sorted_[c - 1], sorted_[sorted_.size() - c]};
}

}  // namespace assay::stats
