#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "assay/stats/preconditions.hpp"

namespace assay::stats {

// Two independent samples x (m values) and y (n values). All values finite and as many as each function asks
// for, else DomainError. Two-sided p-values.

/// The Hodges–Lehmann estimate of how much larger x is than y: the median of all m·n differences x_i − y_j,
/// none of which is written down. Cost: O((m + n) log(m + n)) expected, memory O(m + n). Source: Hodges &
/// Lehmann 1963; selection as in WalshAverages.
double shift_estimate(std::span<const double> x, std::span<const double> y);

/// The closed interval for the shift that belongs to the rank-sum test without ties: [D₍c₎, D₍mn+1−c₎]. Exact
/// c up to 10⁴ pairs, normal approximation with continuity correction beyond. Unbounded when the samples are
/// too small for `level`.
Range shift_interval(std::span<const double> x, std::span<const double> y, double level);

/// The N = n(n+1)/2 pairwise means (x_i + x_j)/2, i ≤ j, of n values, none of which is ever written down.
///
/// Counts take O(n) time, selections O(n log n) expected, all in O(n) memory. Results don't depend on the
/// order of the values, and counts and selections see the very same floating-point averages, so that a test
/// and its interval can't disagree.
///
/// Source: Walsh 1949; selection by discarding from a matrix with sorted rows, Johnson & Mizoguchi 1978, with
/// random partition elements, Monahan 1984 (ACM TOMS algorithm 616).
class WalshAverages {
 public:
  /// At least one value, all finite. Throws DomainError otherwise. Cost: a sort.
  explicit WalshAverages(std::span<const double> values);

  std::size_t n() const { return sorted_.size(); }
  std::uint64_t total() const { return static_cast<std::uint64_t>(n()) * (n() + 1) / 2; }

  /// How many averages are at or below x, and at or above x. x may be infinite.
  std::uint64_t at_or_below(double x) const;
  std::uint64_t at_or_above(double x) const;

  /// The k-th smallest average, k from 1 to total(). Throws DomainError for any other k.
  double select(std::uint64_t k) const;

  /// The Hodges–Lehmann estimate: median of the averages (mean of the middle two when total() is even).
  /// Estimates the centre of symmetry of the values' distribution. Source: Hodges & Lehmann 1963.
  double median() const;

  /// [W₍c₎, W₍N+1−c₎]; the whole line when c = 0. For c up to N/2, rounded up; else DomainError.
  /// With c = SignedRank(n).critical_count(α) it covers the centre with a chance of at least 1 − α.
  Range interval(std::uint64_t c) const;

 private:
  double average(std::size_t i, std::size_t j) const { return 0.5 * sorted_[i] + 0.5 * sorted_[j]; }
  std::uint64_t count(double x, bool with_equal) const;

  std::vector<double> sorted_;
};

}  // namespace assay::stats
