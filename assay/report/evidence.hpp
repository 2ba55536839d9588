#pragma once

#include <string>
#include <vector>

#include "assay/model/findings.hpp"

namespace assay::report {

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
