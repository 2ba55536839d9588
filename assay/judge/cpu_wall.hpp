#pragma once

#include <set>
#include <vector>

#include "assay/model/observations.hpp"
#include "assay/model/results.hpp"

namespace assay::judge {

/// The cells whose programs keep to one core and are busy on it: cores used is nowhere above 1.03, and CPU
/// time and the wait for a core are 0.97 of wall time typically. Where the wait was not measured, cores used
/// is 0.97 in nine tenths of the trials. Empty where neither was.
std::set<CellId> single_core_cells(const Observations& evidence);

/// Whether both sides of a comparison wait alike for other things than a core, so that its wall time and its
/// CPU time measure the same work: what is left of wall time without CPU time, the wait for a core and what
/// the host stole changes by less than the margin of wall time, by the interval of its signed-rank test, and
/// the mean of it is not shown to change by more. Where the wait for a core was not measured: whether both
/// keep to one core.
bool wait_alike(const Observations& evidence, const Comparison& of);

/// Names, for each unclear finding on one of the two times, the other where that is decided and decides for
/// it: CPU time for wall time where both programs keep to one core and wait alike; wall time for a CPU time
/// that was added by default (metrics::is_default_cpu_time()).
void link_cpu_and_wall(const Observations& evidence, std::vector<Finding>& findings);

/// Whether aggregate results (scaling, rankings, overall) use this metric. If CPU time was added by default
/// beside wall time, only one of the two is used: CPU time if it decided any finding, else wall time. True of
/// all other metrics.
bool is_primary_time(const Design& design, const std::vector<Finding>& findings, MetricId metric);

/// Whether a finding is secondary to another of its comparison: a time that the other one decides, or a CPU
/// time that was added by default beside a wall time.
bool is_secondary(const Findings& all, const Finding& finding);

}  // namespace assay::judge
