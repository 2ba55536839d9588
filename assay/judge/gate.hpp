#pragma once

#include <vector>

#include "assay/model/observations.hpp"
#include "assay/model/plan.hpp"
#include "assay/model/results.hpp"
#include "assay/model/setting.hpp"

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

/// Holds every ok cell's own values against what its metrics are required to be: met when the whole
/// interval of the cell's median fulfils the requirement, broken when none of it does, else undecided. The
/// interval is that of order statistics, unbounded with few rounds, for as many values as independent ones
/// would tell as much: neighbouring rounds are often alike. All intervals of a campaign hold together with a
/// chance of 95 %, at all of its looks. Cells without values are left out; twins too.
std::vector<RequirementFinding> judge_requirements(const Observations& evidence);

}  // namespace assay::judge
