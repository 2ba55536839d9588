#pragma once

#include <map>
#include <string>
#include <vector>

#include "assay/render/charts.hpp"
#include "assay/render/trial_values.hpp"

namespace assay::render {

/// Charts of single trials. A page may have thousands of them that show the same cells in different company,
/// so they refer to forms (specifications without data) and to each cell's values, which are written once;
/// the page's script puts them together.
class TrialCharts {
 public:
  /// Both must outlive this.
  TrialCharts(const Findings& all, const TrialValues& values) : all_(all), trials_(values) {}

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
  const TrialValues& trials_;
  ChartJson forms_ = ChartJson::object(), values_ = ChartJson::object();
};

}  // namespace assay::render
