#pragma once

#include <compare>

namespace assay::inline v1::inline model {

/// How many trials of each side of a contrast a round has: more than one where a trial costs little beside
/// the other side's.
struct Repeats {
  int baseline = 1, candidate = 1;

  bool any() const { return baseline > 1 || candidate > 1; }
  auto operator<=>(const Repeats&) const = default;
};

}  // namespace assay::inline v1::inline model
