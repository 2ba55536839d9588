#include "assay/render/trial_values.hpp"

namespace assay::render {

TrialValues::TrialValues(const Record& record) {
  for (const auto& trial : record.trials) {
    if (trial.role != Role::counted || trial.outcome != Outcome::ok) continue;
    for (const auto& reading : trial.readings)
      if (record.demands[reading.metric.place()].watched)
        series_[{reading.metric, trial.cell}].emplace_back(trial.round.value_or(0), reading.value);
  }
}

const TrialValues::Series& TrialValues::of(MetricId metric, CellId cell) const {
  const auto found = series_.find({metric, cell});
  return found == series_.end() ? none_ : found->second;
}

std::vector<double> values_of(const TrialValues::Series& series) {
  std::vector<double> values;
  values.reserve(series.size());
  for (const auto& [round, value] : series) values.push_back(value);
  return values;
}

}  // namespace assay::render
