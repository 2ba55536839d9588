#include "assay/render/trial_values.hpp"

#include "assay/metrics/catalogue.hpp"
#include "assay/model/evidence.hpp"

namespace assay::render {

TrialValues::TrialValues(const Record& record) {
  const Observations evidence(record.design, record.log);
  using From = Observations::Source;
  for (const auto metric : record.design.metrics.ids()) {
    const auto& its = record.design.metrics[metric];
    const bool of_servers = metrics::is_kind(its, metrics::MetricKind::request_rate) ||
                            metrics::is_kind(its, metrics::MetricKind::latency_p50) ||
                            metrics::is_kind(its, metrics::MetricKind::latency_p99);
    if (!its.request.watched && !of_servers) continue;
    for (const auto from : {From::judged, From::unpaired}) {
      const auto& values = evidence.values(metric, from);
      for (std::size_t i = 0; i < values.size(); ++i)
        series_[{metric, values.cell[i]}].emplace_back(values.round[i], values.value[i]);
    }
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
