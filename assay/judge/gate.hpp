#pragma once

#include <vector>

#include "assay/model/cell_filter.hpp"
#include "assay/model/plan.hpp"
#include "assay/model/results.hpp"

namespace assay::judge {

/// How a finding stands to what is allowed (relative, 0.02 is 2 %; 0: the finding's margin; findings on
/// differences: always their margin): failed when its whole interval lies beyond it to the worse, passed when
/// none of it does, else undecided.
GateStatus evaluate_gate(const Finding& finding, const Metric& metric, double allow);

/// The largest effect to the worse that is allowed then.
Effect allowed_limit(const Finding& finding, const Metric& metric, double allow);

/// A gate's answer from its reasons, in whatever order: those that failed first, then undecided ones. Without
/// any, there was nothing to do, and it is undecided.
GateResult summarize(std::vector<GateReason> reasons, const Gate& gate);

/// Holds findings against a gate: each watched metric of each candidate as above, with `gate.allow`; one of
/// two times that the other decides is left to that one. Requirements: broken fails, undecided stays so.
/// Cells that are wrong or failed fail; absent ones are no matter. Cells without a finding on a watched
/// metric, and campaigns that were cut off, are undecided. Twins don't count. Samples without rounds are held
/// against it too, with a caution. `only`: what filter_results() left of the findings.
GateResult evaluate_gate(const Findings& findings, const Gate& gate, const CellFilter& only = {});

}  // namespace assay::judge
