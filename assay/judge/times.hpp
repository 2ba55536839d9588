#pragma once

#include <set>
#include <vector>

#include "assay/model/evidence.hpp"
#include "assay/model/findings.hpp"

namespace assay::inline v1::judge {

/// The cells whose programs keep to one core, so that their wall time and their CPU time measure the same
/// work: cores used is nowhere above 1.03, and 0.97 or more in the best quarter of the trials. (Where others
/// use the machine a program waits for its core in some trials; one that waits for something else does so in
/// nearly all.) Empty where that was not measured.
std::set<CellId> cells_on_one_core(const Evidence& evidence);

/// Names, for each unclear finding on one of the two times, the other where that is settled and decides: CPU
/// time for wall time where both programs keep to one core; wall time for a CPU time that nobody asked for
/// (metrics::is_implied()).
void link_times(const Evidence& evidence, std::vector<Finding>& findings);

/// Whether what is told of a metric besides its findings (growth, groups, overall) is told of this one: of
/// wall time and a CPU time that nobody asked for, of CPU time where that decides anything, else of wall
/// time. True of other metrics.
bool stands_for_itself(const Design& design, const std::vector<Finding>& findings, MetricId metric);

/// Whether a finding is told beside another of its comparison: a time that the other one decides, or a CPU
/// time that nobody asked for beside a wall time.
bool is_beside(const Findings& all, const Finding& finding);

}  // namespace assay::inline v1::judge
