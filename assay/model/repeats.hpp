#pragma once

#include <compare>

#include "assay/model/visible.hpp"

namespace assay::model {

/// How many trials of each side of a contrast a round has: more than one where a trial costs little beside
/// the other side's. And how many layouts its programs take in turn: rounds of one layout share its luck and
/// are no independent values, so that their means are judged.
struct Replication {
  int baseline = 1, candidate = 1;
  int layouts = 0;  ///< 0: each program has one, or each round its own

  bool is_replicated() const { return baseline > 1 || candidate > 1; }
  /// The independent values that so many rounds give.
  int independent_values(int rounds) const { return layouts > 0 && layouts < rounds ? layouts : rounds; }
  auto operator<=>(const Replication&) const = default;
};

}  // namespace assay::model
