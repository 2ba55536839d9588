#pragma once

#include <cstddef>
#include <cstdint>
#include <span>

#include "assay/stats/paired.hpp"

namespace assay::inline v1::stats {

// Two independent samples x (m values) and y (n values). All values finite and as many as each function asks
// for, else DomainError. Two-sided p-values.

/// Test of P(X < Y) + ½P(X = Y) = ½ that allows the two distributions to differ in shape; at least two values
/// each. statistic: the studentised rank difference; p from Student's t with Satterthwaite's degrees of
/// freedom. Complete separation gives p = 0. Source: Brunner & Munzel 2000.
TestResult brunner_munzel(std::span<const double> x, std::span<const double> y);

/// The same statistic against random relabellings, for small samples. Source: Neubert & Brunner 2007.
TestResult brunner_munzel_permuted(std::span<const double> x, std::span<const double> y,
                                   std::size_t draws = 9999, std::uint64_t seed = 1);

/// Welch's test of equal means; at least two values each, not all equal. statistic: t. Source: Welch 1947.
TestResult welch(std::span<const double> x, std::span<const double> y);

/// Test of equal spread: analysis of variance of the absolute deviations from the samples' medians; at least
/// two values each. statistic: F with 1 and m + n − 2 degrees of freedom. Source: Brown & Forsythe 1974.
TestResult brown_forsythe(std::span<const double> x, std::span<const double> y);

}  // namespace assay::inline v1::stats
