#pragma once

#include <cstddef>
#include <span>

namespace assay::stats {

// What every function of this module demands of its input. Each throws DomainError that names the offending
// index and value.

/// All values are finite; at least `least` of them.
void require_finite(std::span<const double> values, std::size_t least = 1);

/// All values are finite and above zero; at least `least` of them.
void require_positive(std::span<const double> values, std::size_t least = 1);

/// Two sequences that are taken in pairs.
void require_same_length(std::span<const double> a, std::span<const double> b);

/// A chance strictly between 0 and 1, like an interval's level.
void require_level(double level);

/// Two ends of a closed range; either may be infinite.
struct Range {
  double low = 0, high = 0;
};

/// The result of a test. p is two-sided unless the test says otherwise.
struct TestResult {
  double statistic = 0;
  double p = 1;
  bool exact = true;  ///< computed from the full distribution, not from an approximation
};

}  // namespace assay::stats
