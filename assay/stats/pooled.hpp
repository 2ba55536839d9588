#pragma once

#include <span>

#include "assay/stats/paired.hpp"

namespace assay::inline v1::stats {

/// Several measurements of one quantity as one.
struct Pooled {
  double value = 0;
  double standard_error = 0;  ///< as if they differed by their own errors alone
  TestResult alike;           ///< of one quantity; statistic: Q
};

/// The mean of measurements weighted by 1 / error², and Cochran's test that they are of one quantity: Q = Σ
/// (x_i − mean)² / error_i², chi-squared with n − 1 degrees of freedom where the errors are normal and known;
/// p = 1 of a single measurement. As many finite values as standard errors, which are above zero, at least
/// one; else DomainError. Cost: O(n). Source: Cochran 1954.
Pooled pooled(std::span<const double> values, std::span<const double> standard_errors);

}  // namespace assay::inline v1::stats
