#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include "assay/stats/preconditions.hpp"

namespace assay::stats {

/// A stretch of a sequence with one level: values `first` to below `end`.
struct Segment {
  std::size_t first = 0, end = 0;
  double level = 0;  ///< the median
};

/// The fewest stretches of constant median that a sequence can be cut into so that, within each, no run of
/// dyadic length (1, 2, 4, …) has too many values on one side of that median; of all such cuts the one with
/// the least sum of absolute deviations. It looks at signs alone, so that neither outliers nor the shape of
/// the noise matter: of sequences without a change at most 5 % are cut, where values are independent.
/// Dependent ones are cut too often (20 % at an autocorrelation of 0.5): what it says is a proposal. The
/// shortest stretch that it can part at n = 200 has 16 values on each side.
///
/// Throws DomainError for values that are not finite. No values: no segments. Cost: O(n² log n), 0.1 s for 1
/// 000 values, and the critical value of that length once.
///
/// Source: Vanegas, Behr & Munk 2022 (multiscale quantile segmentation, at the median); Frick, Munk & Sieling
/// 2014.
std::vector<Segment> multiscale_segments(std::span<const double> values);

/// The largest local statistic over all runs of dyadic length that 95 % of sequences of n fair signs stay
/// below: √(2 m h(k/m)) − √(2 ln(e n/m)) for a run of m signs with k of one kind, h the Kullback-Leibler
/// divergence from 1/2. 1.229 at n = 200 (Vanegas, Behr & Munk 2022). By simulation of 20 000 sequences from
/// a fixed seed; kept for each n. n from 1 on. Safe to call from several threads.
double critical_value_of_signs(std::size_t n);

/// The fewest values on one side of the median that a run of `length` among `n` may have. At n = 200: 1, 7,
/// 19 and 48 for lengths 16, 32, 64 and 128.
std::size_t fewest_signs(std::size_t length, std::size_t n);

/// The cut of a sequence into stretches of two or more values that costs least: each value the distance from
/// its stretch's median in units of the noise, but at most 4, and each cut 2 ln n. The noise is the median
/// absolute difference of neighbours, as of a Laplace distribution. Finds short stretches that
/// multiscale_segments() can't, an up and down of six values at five times the noise; promises no error rate.
/// Single outliers don't cut. Finite values, else DomainError. Cost: O(n³), 0.2 s for 300 values.
///
/// Source: Fearnhead & Rigaill 2019 (bounded loss); Jackson et al. 2005 (optimal partitioning).
std::vector<Segment> optimal_partition(std::span<const double> values);

/// One change of level somewhere in a sequence, as ranks tell it.
struct SingleChange {
  std::size_t after =
      0;  ///< values before the change; at the largest |U|, the first of them if there are several
  double statistic = 0;  ///< K = max |U|
  double p = 1;          ///< approximate, of no change: min(1, 2 exp(−6 K² / (n³ + n²)))
};

/// Pettitt's test. At least two values, finite. Nile flow 1871–1970: K = 1617 after 28. Cost: O(n²). Source:
/// Pettitt 1979.
SingleChange pettitt_test(std::span<const double> values);

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
