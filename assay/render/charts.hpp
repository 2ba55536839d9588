#pragma once

#include <nlohmann/json.hpp>
#include <string>

#include "assay/model/findings.hpp"

namespace assay::render {

// Vega-Lite specifications of a page's charts. Included by this module's own sources only. "VERDICTS" and
// "INK" stand for colours that the page puts in, by its light or dark.

using ChartJson = nlohmann::ordered_json;

/// The findings' intervals, a row each, on a shared axis: a logarithmic one of ratios, or one of differences.
ChartJson interval_chart(const Findings& all, const std::vector<const Finding*>& findings);

/// Typical values over a factor's sizes, a line for each candidate, on logarithmic axes; over threads, their
/// throughput.
ChartJson growth_chart(const Findings& all, const std::vector<const ScalingCurve*>& trends);

// Parts that charts share.

/// How a chart names a cell: "heap on orders, locks=200".
std::string row_name(const Findings& all, const Cell& cell);

/// The axis of a metric's values, from the least to the most.
ChartJson value_axis(const Metric& metric);

/// As many digits as a chart can show.
double rounded(double value);

/// A chart that is as wide as the page and has so many rows.
ChartJson chart_of(std::size_t rows, ChartJson data);

}  // namespace assay::render
