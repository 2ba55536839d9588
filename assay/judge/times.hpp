#pragma once

#include <set>
#include <vector>

#include "assay/model/evidence.hpp"
#include "assay/model/findings.hpp"

namespace assay::inline v1::judge {

/// The cells whose programs kept to one core, cores used 0.97 to 1.03, in every trial: their wall time and their
/// CPU time measure the same work. Empty where that was not measured.
std::set<CellId> cells_on_one_core(const Evidence& evidence);

/// Names, for each unclear finding on one of the two times, the other where that is settled and decides: CPU time
/// for wall time where both programs keep to one core; wall time for a CPU time that nobody asked for
/// (metrics::is_implied()).
void link_times(const Evidence& evidence, std::vector<Finding>& findings);

/// Whether a CPU time that nobody asked for decides anything among these findings; true of other metrics. What
/// does not is told beside wall time, and not for itself.
bool stands_for_itself(const Design& design, const std::vector<Finding>& findings, MetricId metric);

/// Whether a finding is told beside another of its comparison: a time that the other one decides, or a CPU time
/// that nobody asked for beside a wall time.
bool is_beside(const Findings& all, const Finding& finding);

}  // namespace assay::inline v1::judge
