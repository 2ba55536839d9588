#pragma once

#include <map>
#include <nlohmann/json.hpp>
#include <string>
#include <utility>
#include <vector>

#include "assay/model/log.hpp"
#include "assay/model/observations.hpp"
#include "assay/model/results.hpp"
#include "assay/report/where_text.hpp"

namespace assay::render {

// Vega-Lite specifications of a page's charts. Included by this module's own sources only. "VERDICTS" and
// "INK" stand for colours that the page puts in, by its light or dark.

using ChartJson = nlohmann::ordered_json;

/// The findings' intervals, a row each, on a shared axis: a logarithmic one of ratios, or one of differences.
ChartJson interval_chart(const Findings& all, const std::vector<const Finding*>& findings);

/// The same for findings whose rounds several machines ran, with each machine's change below, which has no verdict of its
/// own; a point alone where it has too few rounds for an interval. REQUIRES: there is a finding.
ChartJson machines_chart(const Findings& all, const std::vector<const Finding*>& findings);

/// A staircase from the baseline's CPU time down the page to the candidate's: a step for each row but the last, its
/// interval as a whisker. The steps meet, so that adding up is seen.
ChartJson where_chart(const report::WhereView& view, double baseline);

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

/// The cells' typical values, candidates in the plan's order along the axis and a line for each setting, with
/// the quantiles at 5 and 95 % of their trials. Included by this module's own sources only.
ChartJson typical_chart(const Findings& all, const Observations& evidence, MetricId metric,
                        const std::vector<CellId>& cells);

/// The change of a metric by decile of the runs, a line for each comparison on a workload that has enough of
/// them.
ChartJson decile_chart(const Findings& all, MetricId metric, WorkloadId workload);

/// Charts of single trials. A page may have thousands of them that show the same cells in different company,
/// so they refer to forms (specifications without data) and to each cell's values, which are written once;
/// the page's script puts them together.
class TrialCharts {
 public:
  /// Both must outlive this.
  TrialCharts(const Findings& all, const Observations& evidence) : all_(all), evidence_(evidence) {}

  /// Every trial of these cells on a metric as a dot, cells below each other; of many, quantiles:
  /// {"form": …, "rows": [[name, key of its values], …]}.
  ChartJson in_rows(const std::vector<CellId>& cells, MetricId metric);

  /// The same over the rounds, as shares of each cell's typical value; of many, the medians of neighbours:
  /// {"spec": …, "lines": [{"row": name, "round": […], "share": […]}, …]}.
  ChartJson over_rounds(const std::vector<CellId>& cells, MetricId metric) const;

  /// What the charts made so far refer to.
  const ChartJson& forms() const { return forms_; }
  const ChartJson& values() const { return values_; }

 private:
  std::string key_of(CellId cell, MetricId metric);
  std::string form_of(MetricId metric, bool dots, bool logarithmic);

  const Findings& all_;
  const Observations& evidence_;
  ChartJson forms_ = ChartJson::object(), values_ = ChartJson::object();
};

/// A metric's values over its trials' own time, a line for each cell: of all trials together, in 200 parts of
/// the time (or of the places in their order, where they have no times), the median and the band from 10 to
/// 90 %. A dashed line marks the end of what is left out as lead-in. Included by this module's own sources
/// only.
///
/// `evidence` is of the record that was judged. Cost: a sort of the values.
ChartJson timeline_chart(const Findings& all, const Observations& evidence, MetricId metric,
                         const std::vector<CellId>& cells);

// Charts of servers. Included by this module's own sources only.

/// Latency by quantile, a line for each cell: of all its judged trials together, failed requests as the
/// slowest; as far as ten replies lie above.
ChartJson latency_chart(const Findings& all, const Record& record, const std::vector<CellId>& cells);

/// A metric's typical values over a factor with numbers for levels, a line for each candidate and choice of
/// the other factors.
ChartJson sweep_chart(const Findings& all, const Observations& evidence, MetricId metric,
                      const std::string& factor, const std::vector<CellId>& cells);

}  // namespace assay::render
