#pragma once

#include <cstddef>
#include <span>

#include "assay/stats/test_result.hpp"

namespace assay::stats {

// Location and spread of a sample. All take at least one value by default, all finite, else
// DomainError. n is the number of values.

/// Sum over n. Cost O(n).
double mean(std::span<const double> values);

/// The middle value, or the mean of the middle two. Cost: O(n) expected, a copy.
double median(std::span<const double> values);

/// Mean of what is left when the ⌊share·n⌋ smallest and as many largest are taken away. share in [0, 0.5); at
/// 0.25 the interquartile mean. The same as R's mean(x, trim = share). Cost: O(n)
/// expected.
double trimmed_mean(std::span<const double> values, double share);

/// Which of the usual definitions of a sample quantile. type7 interpolates between the order statistics at
/// 1 + (n−1)p; type8 at (n + 1/3)p + 1/3 and is nearly median-unbiased whatever the distribution.
/// Source: Hyndman & Fan 1996.
enum class QuantileType { type7, type8 };

/// Sample quantile at p in [0, 1] (else DomainError). Cost: a sort.
double quantile(std::span<const double> values, double p, QuantileType type = QuantileType::type8);

/// Closed interval for the quantile at p in (0, 1), from two order statistics, that holds for any continuous
/// distribution with independent values: it covers with a chance of at least `level`, unbounded on a side
/// where n is too small. Equal tails of at most (1 − level)/2 each. Cost: a sort. Source: David & Nagaraja
/// 2003, section 7.1.
Range quantile_interval(std::span<const double> values, double p, double level);

/// Sample variance, divided by n − 1; at least two values. Two passes.
double variance(std::span<const double> values);

/// Interval for the mean of normal values: mean ± t·s/√n with Student's t of n − 1 degrees of freedom. At
/// least two values. The same as R's t.test(x)$conf.int. Source: Student 1908.
Range mean_interval(std::span<const double> values, double level);

/// Median absolute deviation from the median, times 1.4826: for normal values it estimates their standard
/// deviation. The same as R's mad(x). Source: Hampel 1974.
double median_absolute_deviation(std::span<const double> values);

}  // namespace assay::stats
