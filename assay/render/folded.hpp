#pragma once

#include <optional>
#include <string>

#include "assay/model/findings.hpp"
#include "assay/render/text.hpp"

namespace assay::inline v1::render {

/// Whether a workload's findings on a metric are too many for a block with a line each.
bool is_wide(const Findings& all, WorkloadId workload, MetricId metric);

/// The findings on a metric with candidates as rows, sign and change: of a workload with its settings as
/// columns, or of all with the workloads too. As many columns stand beside each other as fit; the others
/// follow below. Empty without findings.
std::string folded_block(const Findings& all, std::optional<WorkloadId> workload, MetricId metric,
                         const TextStyle& style);

/// All trials of each finding's two cells: a strip of dots on a common axis, quantiles, the first trials in
/// the order in which they ran. `record` is what the findings were judged from.
std::string details(const Findings& all, const Record& record);

}  // namespace assay::inline v1::render
