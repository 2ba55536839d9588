#pragma once

#include <span>

#include "assay/stats/test_result.hpp"

namespace assay::stats {

/// Estimates of one quantity, made apart, as one: a weighted mean, and whether they differ by more than their
/// errors.
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
/// and of that between estimates, estimated by moments; the standard error is that of the weighted residuals. As
/// many of each, at least one, all finite, errors above zero; else DomainError.
///
/// Source: Cochran 1954; DerSimonian & Laird 1986; Hartung & Knapp 2001, with the error never below that of the weights
/// (Knapp & Hartung 2003).
InverseVarianceMean inverse_variance_mean(std::span<const double> values,
                                          std::span<const double> standard_errors);

}  // namespace assay::stats
