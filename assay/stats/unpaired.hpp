#pragma once

#include <cstddef>
#include <cstdint>
#include <span>

#include "assay/stats/bounds.hpp"
#include "assay/stats/paired.hpp"

namespace assay::inline v1::stats {

// Two independent samples x (m values) and y (n values). All values finite and as many as each function asks
// for, else DomainError. Two-sided p-values.

/// Rank-sum test of one distribution for both. statistic: U = #{x_i > y_j} + ½ #{x_i = y_j}. Exact, ties and
/// all, while (m + n)²·(m + n + 1)·min(m, n) stays below 10⁸ (50 and 50 values: the limit, a quarter of a
/// second); beyond, the normal approximation with the ties' variance and continuity correction (as R's).
/// Exact two-sided: twice the smaller tail, at most 1. Source: Mann & Whitney 1947.
TestResult mann_whitney(std::span<const double> x, std::span<const double> y);

/// The Hodges–Lehmann estimate of how much larger x is than y: the median of all m·n differences x_i − y_j,
/// none of which is written down. Cost: O((m + n) log(m + n)) expected, memory O(m + n). Source: Hodges &
/// Lehmann 1963; selection as in WalshAverages.
double shift_estimate(std::span<const double> x, std::span<const double> y);

/// The closed interval for the shift that belongs to the rank-sum test without ties: [D₍c₎, D₍mn+1−c₎]. Exact
/// c up to 10⁴ pairs, normal approximation with continuity correction beyond. Unbounded when the samples are
/// too small for `level`.
Bounds shift_interval(std::span<const double> x, std::span<const double> y, double level);

/// Test of P(X < Y) + ½P(X = Y) = ½ that allows the two distributions to differ in shape; at least two values
/// each. statistic: the studentised rank difference; p from Student's t with Satterthwaite's degrees of
/// freedom. Complete separation gives p = 0. Source: Brunner & Munzel 2000.
TestResult brunner_munzel(std::span<const double> x, std::span<const double> y);

/// The same statistic against random relabellings, for small samples. Source: Neubert & Brunner 2007.
TestResult brunner_munzel_permuted(std::span<const double> x, std::span<const double> y,
                                   std::size_t draws = 9999, std::uint64_t seed = 1);

/// Welch's test of equal means; at least two values each, not all equal. statistic: t. Source: Welch 1947.
TestResult welch(std::span<const double> x, std::span<const double> y);

/// P(X > Y) + ½P(X = Y), from 0 to 1. Cost: a sort. Source: Vargha & Delaney 2000.
double probability_of_superiority(std::span<const double> x, std::span<const double> y);

/// P(X > Y) − P(X < Y), from −1 to 1. Source: Cliff 1993.
double cliffs_delta(std::span<const double> x, std::span<const double> y);

/// Test of equal spread: analysis of variance of the absolute deviations from the samples' medians; at least
/// two values each. statistic: F with 1 and m + n − 2 degrees of freedom. Source: Brown & Forsythe 1974.
TestResult brown_forsythe(std::span<const double> x, std::span<const double> y);

/// Two-sample Kolmogorov–Smirnov test of one distribution for both. statistic: the largest distance of the
/// two empirical distribution functions. Exact with ties by counting lattice paths while m·n ≤ 10⁶; beyond,
/// the asymptotic distribution. Source: Smirnov 1939; Schröer & Trenkler 1995.
TestResult kolmogorov_smirnov(std::span<const double> x, std::span<const double> y);

/// Fisher's exact test of two failure rates: a of m against b of n. The sum of the chances of all tables that
/// are no likelier than the one seen. a ≤ m, b ≤ n, else DomainError. statistic: the sample odds ratio.
/// Source: Fisher 1935.
TestResult fisher_exact(std::uint64_t a, std::uint64_t m, std::uint64_t b, std::uint64_t n);

}  // namespace assay::inline v1::stats
