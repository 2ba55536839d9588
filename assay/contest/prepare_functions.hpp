#pragma once

#include <string>
#include <vector>

#include "assay/contest/comparison_spec.hpp"
#include "assay/model/log.hpp"

namespace assay::contest {

/// How a candidate of a contest is played: which function, and for a twin, which copy of its code.
struct FunctionVariant {
  std::size_t candidate = 0;
  int copy = 0;
  bool twin = false;
};

/// A contest before anything has been called.
struct PreparedFunctions {
  Record record;  ///< without a session
  IdTable<CandidateId, FunctionVariant> variants;
};

/// Lays a contest down: its candidates and their twins, its settings as cells, its metrics. Throws Error for
/// everything that can be found wrong before anything is called.
PreparedFunctions prepare_functions(const Contest::ComparisonSpec& parts, const Options& options);

}  // namespace assay::contest
