#pragma once

#include <cstddef>
#include <span>
#include <vector>

#include "assay/stats/preconditions.hpp"

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

/// Estimates of one quantity, made separately, as one: a weighted mean, and whether they differ by more than
/// their errors.
struct InverseVarianceMean {
  double value = 0;
  double between = 0;         ///< variance of the true values from estimate to estimate
  double standard_error = 0;  ///< of a single estimate its own
  double freedom = 0;         ///< degrees of freedom of standard_error; 0: as good as known
  /// Cochran's Q as `statistic`, and its p from the chi-squared distribution with one degree of freedom less
  /// than there are estimates; p is 1 for a single one.
  TestResult alike;

  /// By Student's t of that many degrees of freedom; by the normal distribution where freedom is 0. level in
  /// (0, 1), else DomainError.
  Range interval(double level) const;
};

/// Pools independent estimates with their standard errors: weights are the inverse of the error's variance
/// and of that between estimates, estimated by moments; the standard error is that of the weighted residuals.
/// As many of each, at least one, all finite, errors above zero; else DomainError.
///
/// Source: Cochran 1954; DerSimonian & Laird 1986; Hartung & Knapp 2001, with the error never below that of
/// the weights (Knapp & Hartung 2003).
InverseVarianceMean inverse_variance_mean(std::span<const double> values,
                                          std::span<const double> standard_errors);

/// A table split into what all of it has in common, what each row and each column adds, and what is
/// left.
struct MedianPolish {
  double overall = 0;
  std::vector<double> rows, columns;
};

/// `table`: rows of one length, at least one value; else DomainError. Sweeps medians out of rows and columns
/// in turn, at most ten times or until nothing changes by more than 1e-12 of the largest value. Of two
/// columns their difference is then the median of the rows' differences. Source: Tukey 1977, ch. 11; R's
/// medpolish().
MedianPolish median_polish(const std::vector<std::vector<double>>& table);

}  // namespace assay::stats
