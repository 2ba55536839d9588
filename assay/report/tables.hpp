#pragma once

#include <string>
#include <vector>

#include "assay/model/results.hpp"
#include "assay/report/report.hpp"

namespace assay::report {

/// A block for each workload and watched metric on which something was compared.
std::vector<ComparisonTable> comparison_tables(const Findings& findings);

/// The views of the whole: of each watched metric with more than one column and two candidates.
std::vector<MatrixView> matrix_views(const Findings& findings);

/// Whether others are put beside the finding: it is on the first watched metric of time or throughput, or
/// where none is, on the first that is watched.
bool shows_related_metrics(const Findings& findings, const Finding& finding);

/// The other metrics of the same comparison that are called better or worse, the furthest moved first, and as
/// many as fit into so many columns: "page faults +40 %, peak memory −12 % and 3 more". Times that changed
/// as the finding's own did are left out. Empty when none is left. No cause is claimed.
std::string related_metrics_text(const Findings& findings, const Finding& finding, std::size_t columns = 90);

/// Metrics that are not watched but moved all the same, a line per candidate, over all its comparisons.
std::vector<std::string> other_changes(const Findings& findings);

}  // namespace assay::report
