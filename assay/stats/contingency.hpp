#pragma once

#include <cstddef>
#include <cstdint>
#include <span>

#include "assay/stats/preconditions.hpp"

namespace assay::stats {

// Two independent samples x (m values) and y (n values). All values finite and as many as each function asks
// for, else DomainError. Two-sided p-values.

/// Fisher's exact test of two failure rates: a of m against b of n. The sum of the chances of all tables that
/// are no likelier than the one seen. a ≤ m, b ≤ n, else DomainError. statistic: the sample odds ratio.
/// Source: Fisher 1935.
TestResult fisher_exact(std::uint64_t a, std::uint64_t m, std::uint64_t b, std::uint64_t n);

/// How often the runs of two series that are paired by round are slow: beyond a limit that both have in
/// common, the median over the rounds of the slower value of each, and `beyond` more. Swapping the two values
/// of a round leaves the limit as it is, so that in rounds in which one side alone was slow, it is either
/// with even chance when nothing changed.
///
/// Source: the sign test, Fisher 1935 (of paired proportions, McNemar 1947).
struct SlowShare {
  double limit = 0;
  std::size_t rounds = 0;
  std::size_t a = 0, b = 0;            ///< rounds in which each side was slow
  std::size_t only_a = 0, only_b = 0;  ///< alone

  /// One-sided p-values, exact, of b being slow more often than a, and less often.
  double p_more() const;
  double p_fewer() const;

  /// Whether b being slow more often (`more`), or less often, by this share of the rounds is rejected at a
  /// one-sided 5 %. share in (0, 1).
  ///
  /// Source: score test of a difference of paired proportions, Tango 1998.
  bool rules_out(double share, bool more) const;

  /// The share of slow runs that so many rounds without one leave open: 1 − 0.05^(1/n).
  static double left_open(std::size_t rounds);
};

/// `a` and `b`: one length, finite, at least one, the lower the better, on a scale on which shifts add. Else
/// DomainError. Cost: O(n).
SlowShare slow_share(std::span<const double> a, std::span<const double> b, double beyond);

}  // namespace assay::stats
