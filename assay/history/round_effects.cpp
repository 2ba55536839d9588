#include "assay/history/round_effects.hpp"

#include "assay/judge/paired_series.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/model/observations.hpp"

namespace assay::history {

double regression_sign(const Metric& metric) { return metric.direction == Direction::higher ? -1 : 1; }

std::vector<double> regression_effects(const Record& record, CandidateId later, const SeriesKey& where) {
  const auto& design = record.design;
  const auto metric = design.metrics.find([&](const Metric& m) { return m.name == where.metric; });
  if (!metric) return {};
  const Observations evidence(design, record.log);
  const auto values = judge::values_by_cell(evidence.values(*metric));
  const auto scale = design.metrics[*metric].scale;
  std::vector<double> effects;
  for (const auto& comparison : design.comparisons) {
    const auto& cell = design.cells[comparison.candidate];
    if (cell.candidate != later || design.workloads[cell.workload].name != where.workload ||
        cell.setting.text() != where.setting)
      continue;
    const auto series = judge::make_pairs(comparison, values);
    for (std::size_t i = 0; i < series.rounds.size(); ++i)
      if (is_valid_value(scale, series.baseline[i]) && is_valid_value(scale, series.candidate[i]))
        effects.push_back(regression_sign(design.metrics[*metric]) *
                          transformed_effect(scale, series.baseline[i], series.candidate[i]));
  }
  return effects;
}

double seconds_of_pair(const Record& record) {
  const auto time = metrics::find(record.design.metrics, metrics::MetricKind::wall_time);
  double seconds = 0;
  std::size_t trials = 0;
  for (const auto& trial : record.log.trials)
    for (const auto& reading : trial.readings)
      if (trial.round && reading.metric == time) {
        seconds += reading.value;
        ++trials;
      }
  constexpr double unknown = 0.1;
  return trials == 0 ? unknown : 2 * seconds / static_cast<double>(trials);
}

}  // namespace assay::history
