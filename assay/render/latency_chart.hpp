#pragma once

#include <vector>

#include "assay/model/findings.hpp"
#include "assay/model/log.hpp"
#include "assay/render/charts.hpp"
#include "assay/render/trial_values.hpp"

namespace assay::render {

// Charts of servers. Included by this module's own sources only.

/// Latency by quantile, a line for each cell: of all its judged trials together, failed requests as the
/// slowest; as far as ten replies lie above.
ChartJson latency_chart(const Findings& all, const Record& record, const std::vector<CellId>& cells);

/// A metric's typical values over a factor with numbers for levels, a line for each candidate and choice of
/// the other factors.
ChartJson sweep_chart(const Findings& all, const TrialValues& values, MetricId metric,
                      const std::string& factor, const std::vector<CellId>& cells);

}  // namespace assay::render
