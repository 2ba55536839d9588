#pragma once

#include <string>

#include "assay/model/visible.hpp"

namespace assay::model {

/// A demand on a metric's own value.
struct Requirement {
  enum class Bound { at_most, below, at_least, above };
  Bound bound = Bound::at_most;
  double limit = 0;  ///< in the metric's unit
  std::string text;  ///< as it was written

  /// Whether a value fulfils it.
  bool holds(double value) const;
  bool operator==(const Requirement&) const = default;
};

/// Reads `< 2 ms`, `<= 64 MiB`, `>= 250`, `> 1.5`: a comparison and a number, with a unit of time or memory
/// where the metric has one. Throws Error (without a place).
Requirement parse_requirement(const std::string& text);

}  // namespace assay::model
