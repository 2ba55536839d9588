#pragma once

#include <vector>

#include "assay/model/evidence.hpp"
#include "assay/model/findings.hpp"
#include "assay/render/charts.hpp"

namespace assay::render {

/// A metric's values over its trials' own time, a line for each cell: of all trials together, in 200 parts of
/// the time (or of the places in their order, where they have no times), the median and the band from 10 to
/// 90 %. A dashed line marks the end of what is left out as lead-in. Included by this module's own sources
/// only.
///
/// `evidence` is of the record that was judged. Cost: a sort of the values.
ChartJson timeline_chart(const Findings& all, const Observations& evidence, MetricId metric,
                         const std::vector<CellId>& cells);

}  // namespace assay::render
