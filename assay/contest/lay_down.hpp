#pragma once

#include <string>
#include <vector>

#include "assay/contest/parts.hpp"
#include "assay/model/log.hpp"

namespace assay::inline v1::contest {

/// How a candidate of a contest is played: which function, and for a twin, which copy of its code.
struct Player {
  std::size_t candidate = 0;
  int copy = 0;
  bool twin = false;
};

/// A contest before anything has been called.
struct LaidDown {
  Record record;  ///< without a sitting
  Table<CandidateId, Player> players;
};

/// Lays a contest down: its candidates and their twins, its settings as cells, its metrics. Throws Error for
/// everything that can be found amiss before anything is called.
LaidDown lay_down(const Contest::Parts& parts, const Options& options);

}  // namespace assay::inline v1::contest
