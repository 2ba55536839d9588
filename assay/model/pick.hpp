#pragma once

#include <span>
#include <string>

namespace assay::inline v1::inline model {

/// Which one number stands for many that a trial printed.
struct Pick {
  enum class How { first, last, min, max, median, mean, sum, quantile };
  How how = How::median;
  double at = 0.5;  ///< of a quantile, in [0, 1]
  bool operator==(const Pick&) const = default;
};

/// Reads `first`, `last`, `min`, `max`, `median`, `mean`, `sum`, or a quantile in per cent like `q99` or
/// `q99.9`. Throws Error (without a place).
Pick parse_pick(const std::string& text);
std::string to_string(const Pick& pick);

}  // namespace assay::inline v1::inline model
