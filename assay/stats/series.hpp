#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include "assay/stats/test_result.hpp"

namespace assay::stats {

// Shape of a sample, and values in order of time x_1 … x_n. All finite and as many as each function asks for,
// else DomainError.

/// Σ (x_t − x̄)(x_{t+lag} − x̄) / Σ (x_t − x̄)², for 1 ≤ lag < n. 0 when all values are equal.
double autocorrelation(std::span<const double> values, std::size_t lag = 1);

/// Ljung–Box test of no autocorrelation up to `lags`. statistic: Q, chi-squared with `lags` degrees of
/// freedom. Approximate; tends to call too little below some 30 values. 1 ≤ lags < n. Source: Ljung & Box
/// 1978.
TestResult ljung_box(std::span<const double> values, std::size_t lags = 1);

/// A monotone drift.
struct TrendTest {
  double slope = 0;  ///< per step: median of all pairwise slopes
  TestResult test;   ///< of no trend; statistic: Mann–Kendall's S
};

/// Theil–Sen slope and Mann–Kendall test, the latter with the normal approximation, ties' variance and
/// continuity correction. At least three values. Cost: O(n²) time, n²/2 doubles of memory. Source: Mann 1945;
/// Kendall 1975; Theil 1950; Sen 1968.
TrendTest test_trend(std::span<const double> values);

/// Fences beyond which a value is an outlier: quartiles (type 7) ∓ `reach` interquartile ranges. Outliers are
/// flagged, never dropped. reach above 0. Source: Tukey 1977 (1.5 inner, 3 outer).
Range outlier_fences(std::span<const double> values, double reach = 3);

}  // namespace assay::stats
