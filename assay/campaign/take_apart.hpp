#pragma once

#include "assay/campaign/lay_down.hpp"
#include "assay/plan/matrix.hpp"

namespace assay::inline v1::campaign {

/// Puts the parts of each contest program, as one run of each candidate's tells them, in place of its cell:
/// in `laid`, in `planned` and in `states`, whose ids go together. Parts that only some candidates have are
/// absent in the others once they are checked; metrics that samples tell join the design's. Returns how many
/// programs were taken apart. Throws Error for a watched metric that nobody tells, Stopped on a stop request.
int take_contests_apart(const Plan& plan, const Options& options, measure::Launcher& launcher, LaidDown& laid,
                        plan::PlannedCells& planned, Table<CellId, CellState>& states);

}  // namespace assay::inline v1::campaign
