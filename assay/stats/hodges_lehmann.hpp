#pragma once

#include <span>

#include "assay/stats/test_result.hpp"

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

}  // namespace assay::stats
