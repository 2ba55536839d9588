#include <algorithm>
#include <cmath>
#include <map>

#include "assay/judge/aggregates.hpp"
#include "assay/judge/machines.hpp"
#include "assay/stats/fit.hpp"
#include "assay/stats/location.hpp"

namespace assay::judge {
namespace {

struct Curve {
  std::vector<double> at, typical;
};

/// Curves of one metric over one factor: by workload, other levels, candidate.
using Curves = std::map<std::tuple<WorkloadId, std::string, CandidateId>, std::pair<Setting, Curve>>;

Curves curves_of(const Observations& evidence, MetricId metric, const std::string& factor) {
  const auto column = values_on_one_level(evidence, metric);
  std::map<CellId, std::vector<double>> values;
  for (std::size_t i = 0; i < column.size(); ++i) values[column.cell[i]].push_back(column.value[i]);
  std::map<std::tuple<WorkloadId, std::string, CandidateId>, std::pair<Setting, std::map<double, double>>>
      found;
  for (const auto& [id, of_cell] : values) {
    const auto& cell = evidence.design.cells[id];
    const auto level = cell.setting.levels.find(factor);
    if (level == cell.setting.levels.end() || evidence.design.is_twin(id)) continue;
    const auto at = number_of(level->second);
    const double typical = stats::median(of_cell);
    if (!at || !(*at > 0) || !(typical > 0)) continue;
    Setting others = cell.setting;
    others.levels.erase(factor);
    auto& entry = found[{cell.workload, others.text(), cell.candidate}];
    entry.first = others;
    entry.second[*at] = typical;
  }
  Curves curves;
  for (const auto& [key, entry] : found) {
    Curve curve;
    for (const auto& [at, typical] : entry.second) {
      curve.at.push_back(at);
      curve.typical.push_back(typical);
    }
    if (curve.at.size() >= 3) curves[key] = {entry.first, curve};
  }
  return curves;
}

Interval interval_of(const stats::Range& bounds) { return {bounds.low, bounds.high, 0.95}; }

void describe_sizes(ScalingCurve& trend, const Curve* baseline) {
  const auto law = stats::fit_power_law(trend.at, trend.typical);
  trend.exponent = law.exponent;
  trend.exponent_interval = interval_of(law.exponent_interval);
  if (trend.at.front() > 1)
    if (const auto growth = stats::fit_growth(trend.at, trend.typical);
        growth.name && trend.exponent_interval.contains(stats::exponent_of_law(*growth.name, trend.at)))
      trend.law = *growth.name;
  if (baseline == nullptr) return;
  const auto crossing = stats::crossing(law, stats::fit_power_law(baseline->at, baseline->typical));
  constexpr double within = 10;
  if (crossing && crossing->at > trend.at.front() / within && crossing->at < trend.at.back() * within) {
    trend.crossing = crossing->at;
    trend.crossing_interval = interval_of(crossing->interval);
  }
}

/// `for_each`: every thread does a job of its own, and times are of one; else they share one job.
void describe_threads(ScalingCurve& trend, bool is_time, bool for_each, double margin) {
  auto throughput = trend.typical;
  if (is_time)
    for (std::size_t i = 0; i < throughput.size(); ++i)
      throughput[i] = (for_each ? trend.at[i] : 1) / throughput[i];
  for (const double does : throughput) trend.throughput.push_back(does / throughput.front());
  if (trend.at.front() < 1) return;
  const auto law = stats::fit_scalability(trend.at, throughput);
  trend.contention = law.contention;
  trend.coherency = law.coherency;
  if (const auto place = stats::knee(trend.at, throughput)) {
    const auto gain = [&](std::size_t from, std::size_t to) {  // of each thread
      return (throughput[to] - throughput[from]) / (trend.at[to] - trend.at[from]);
    };
    if (gain(*place, throughput.size() - 1) < 0.5 * gain(0, *place)) trend.knee = trend.at[*place];
  }
  const auto best_beyond = [&](std::size_t i) {
    return *std::max_element(throughput.begin() + static_cast<std::ptrdiff_t>(i) + 1, throughput.end());
  };
  for (std::size_t i = 0; i + 1 < throughput.size() && !trend.plateau; ++i)
    if (best_beyond(i) <= throughput[i] * (1 + margin)) trend.plateau = trend.at[i];
}

}  // namespace

std::vector<ScalingCurve> fit_scaling(const Observations& evidence) {
  const auto& design = evidence.design;
  std::vector<ScalingCurve> trends;
  for (const auto& factor : design.factors) {
    if (factor.role == Factor::Role::option) continue;
    const bool sizes = factor.role == Factor::Role::size;
    for (const auto id : design.metrics.ids()) {
      const auto& metric = design.metrics[id];
      if (!metric.request.watched || metric.scale == Scale::difference || metric.exact) continue;
      if (sizes && metric.direction != Direction::lower) continue;
      const auto curves = curves_of(evidence, id, factor.name);
      for (const auto& [key, entry] : curves) {
        const auto& [workload, others, candidate] = key;
        ScalingCurve trend{.candidate = candidate,
                           .workload = workload,
                           .metric = id,
                           .factor = factor.name,
                           .others = entry.first,
                           .at = entry.second.at,
                           .typical = entry.second.typical};
        const auto& against = design.candidates[candidate].baseline;
        const auto baseline = against ? curves.find({workload, others, *against}) : curves.end();
        if (sizes)
          describe_sizes(trend, baseline == curves.end() ? nullptr : &baseline->second.second);
        else
          describe_threads(trend, metric.unit == "s", design.kind == CampaignKind::contest,
                           design.margin_of(id));
        trends.push_back(std::move(trend));
      }
    }
  }
  return trends;
}

}  // namespace assay::judge
