#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include "assay/stats/preconditions.hpp"

namespace assay::stats {

/// Twice the rank of each value among all, from 2 on; equal values share the mean of their ranks, which is
/// why ranks are doubled: they stay whole numbers. Cost: a sort.
std::vector<std::uint64_t> doubled_ranks(std::span<const double> values);

// Two independent samples x (m values) and y (n values). All values finite and as many as each function asks
// for, else DomainError. Two-sided p-values.

/// Rank-sum test of one distribution for both. statistic: U = #{x_i > y_j} + ½ #{x_i = y_j}. Exact, ties and
/// all, while (m + n)²·(m + n + 1)·min(m, n) stays below 10⁸ (50 and 50 values: the limit, a quarter of a
/// second); beyond, the normal approximation with the ties' variance and continuity correction (as R's).
/// Exact two-sided: twice the smaller tail, at most 1. Source: Mann & Whitney 1947.
TestResult mann_whitney(std::span<const double> x, std::span<const double> y);

// Two independent samples x (m values) and y (n values). All values finite and as many as each function asks
// for, else DomainError. Two-sided p-values.

/// Test of P(X < Y) + ½P(X = Y) = ½ that allows the two distributions to differ in shape; at least two values
/// each. statistic: the studentised rank difference; p from Student's t with Satterthwaite's degrees of
/// freedom. Complete separation gives p = 0. Source: Brunner & Munzel 2000.
TestResult brunner_munzel(std::span<const double> x, std::span<const double> y);

}  // namespace assay::stats
