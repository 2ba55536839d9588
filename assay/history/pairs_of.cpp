#include "assay/history/pairs_of.hpp"

#include "assay/judge/pairs.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/model/evidence.hpp"

namespace assay::inline v1::history {

double sign_to_the_worse(const Metric& metric) { return metric.prefer == Prefer::higher ? -1 : 1; }

std::vector<double> effects_to_the_worse(const Record& record, CandidateId later, const Where& where) {
  const auto& design = record.design;
  const auto metric = design.metrics.find([&](const Metric& m) { return m.name == where.metric; });
  if (!metric) return {};
  const Evidence evidence(design, record.log);
  const auto values = judge::by_cell(evidence.values(*metric));
  const auto scale = design.metrics[*metric].scale;
  std::vector<double> effects;
  for (const auto& contrast : design.contrasts) {
    const auto& cell = design.cells[contrast.candidate];
    if (cell.candidate != later || design.workloads[cell.workload].name != where.workload ||
        cell.setting.text() != where.setting)
      continue;
    const auto series = judge::pair_up(contrast, values);
    for (std::size_t i = 0; i < series.rounds.size(); ++i)
      if (fits(scale, series.baseline[i]) && fits(scale, series.candidate[i]))
        effects.push_back(sign_to_the_worse(design.metrics[*metric]) *
                          effect_of_pair(scale, series.baseline[i], series.candidate[i]));
  }
  return effects;
}

double seconds_of_pair(const Record& record) {
  const auto time = metrics::find(record.design.metrics, metrics::Known::wall_time);
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

}  // namespace assay::inline v1::history
