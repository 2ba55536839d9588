#pragma once

#include "assay/campaign/lay_down.hpp"
#include "assay/plan/matrix.hpp"

namespace assay::campaign {

/// Puts the parts of each contest program, as one run of each candidate's tells them, in place of its cell:
/// in `laid`, in `planned` and in `states`, whose ids go together. Parts that only some candidates have are
/// absent in the others once they are checked; metrics that samples tell join the design's. Returns how many
/// programs were taken apart. Throws Error for a watched metric that nobody tells, Stopped on a stop request.
int expand_function_workloads(const Plan& plan, const RunOptions& options, measure::Launcher& launcher,
                              PreparedCells& laid, plan::PlannedCells& planned,
                              IdTable<CellId, CellStatus>& states);

}  // namespace assay::campaign
