#pragma once

#include <nlohmann/json.hpp>

#include "assay/model/campaign.hpp"

namespace assay::render {

// Vega-Lite specifications of a page's charts. Included by this module's own sources only. "VERDICTS" and
// "INK" stand for colours that the page puts in, by its light or dark.

using ChartJson = nlohmann::ordered_json;

/// The findings' intervals, a row each, on a shared axis: a logarithmic one of ratios, or one of differences.
ChartJson interval_chart(const Findings& all, const std::vector<const Finding*>& findings);

/// Every trial of these cells on a metric as a dot, cells below each other; of many, quantiles.
ChartJson trials_chart(const Findings& all, const Record& record, const std::vector<CellId>& cells,
                       MetricId metric);

/// The same over the rounds, as shares of each cell's typical value.
ChartJson rounds_chart(const Findings& all, const Record& record, const std::vector<CellId>& cells,
                       MetricId metric);

/// Typical values over a factor's levels, a line for each candidate, on logarithmic axes.
ChartJson growth_chart(const Findings& all, const std::vector<const Trend*>& trends);

}  // namespace assay::render
