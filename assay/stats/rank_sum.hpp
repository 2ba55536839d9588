#pragma once

#include <span>

#include "assay/stats/test_result.hpp"

namespace assay::stats {

// Two independent samples x (m values) and y (n values). All values finite and as many as each function asks
// for, else DomainError. Two-sided p-values.

/// Rank-sum test of one distribution for both. statistic: U = #{x_i > y_j} + ½ #{x_i = y_j}. Exact, ties and
/// all, while (m + n)²·(m + n + 1)·min(m, n) stays below 10⁸ (50 and 50 values: the limit, a quarter of a
/// second); beyond, the normal approximation with the ties' variance and continuity correction (as R's).
/// Exact two-sided: twice the smaller tail, at most 1. Source: Mann & Whitney 1947.
TestResult mann_whitney(std::span<const double> x, std::span<const double> y);

}  // namespace assay::stats
