#pragma once

namespace assay::stats {

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
