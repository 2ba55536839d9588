#pragma once

#include <cstdint>
#include <string>

#include "assay/model/visible.hpp"

namespace assay::model {

/// Which one number stands for many that a trial printed.
struct Aggregate {
  enum class Kind { first, last, min, max, median, mean, sum, quantile };
  Kind kind = Kind::median;
  double probability = 0.5;  ///< of a quantile, in [0, 1]
  bool operator==(const Aggregate&) const = default;
};

/// How much of the start of a series is ignored: the first `seconds`, or the first `values` values.
struct LeadIn {
  double seconds = 0;
  std::int64_t values = 0;
  bool none() const { return seconds <= 0 && values <= 0; }
  bool operator==(const LeadIn&) const = default;
};

/// Reads a duration like `2 s`, or a number of values like `20`. Throws Error (without a place).
LeadIn parse_lead_in(const std::string& text);
/// The same the other way; empty for none.
std::string to_string(const LeadIn& lead_in);

/// Reads `first`, `last`, `min`, `max`, `median`, `mean`, `sum`, or a quantile in per cent like `q99` or
/// `q99.9`. Throws Error (without a place).
Aggregate parse_aggregate(const std::string& text);
std::string to_string(const Aggregate& pick);

}  // namespace assay::model
