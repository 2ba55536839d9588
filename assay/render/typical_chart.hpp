#pragma once

#include <vector>

#include "assay/model/findings.hpp"
#include "assay/render/charts.hpp"
#include "assay/render/trial_values.hpp"

namespace assay::render {

/// The cells' typical values, candidates in the plan's order along the axis and a line for each setting, with
/// the quantiles at 5 and 95 % of their trials. Included by this module's own sources only.
ChartJson typical_chart(const Findings& all, const TrialValues& values, MetricId metric,
                        const std::vector<CellId>& cells);

/// The change of a metric by decile of the runs, a line for each comparison on a workload that has enough of
/// them.
ChartJson decile_chart(const Findings& all, MetricId metric, WorkloadId workload);

}  // namespace assay::render
