#pragma once

namespace assay::inline v1::stats {

/// Two ends of a closed range; either may be infinite.
struct Bounds {
  double low = 0, high = 0;
};

/// The result of a test. p is two-sided unless the test says otherwise.
struct TestResult {
  double statistic = 0;
  double p = 1;
  bool exact = true;  ///< computed from the full distribution, not from an approximation
};

}  // namespace assay::inline v1::stats
