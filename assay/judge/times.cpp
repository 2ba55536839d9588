#include "assay/judge/times.hpp"

#include <algorithm>
#include <map>

#include "assay/metrics/catalogue.hpp"
#include "assay/stats/location.hpp"

namespace assay::inline v1::judge {

using metrics::Known;

std::set<CellId> cells_on_one_core(const Evidence& evidence) {
  constexpr double nearly = 0.03, undisturbed = 0.75;
  const auto cores = metrics::find(evidence.design.metrics, Known::cores_used);
  if (!cores) return {};
  std::map<CellId, std::vector<double>> used;
  const auto& column = evidence.values(*cores);
  for (std::size_t i = 0; i < column.size(); ++i) used[column.cell[i]].push_back(column.value[i]);
  std::set<CellId> on_one;
  for (const auto& [cell, values] : used)
    if (std::ranges::max(values) <= 1 + nearly && stats::quantile(values, undisturbed) >= 1 - nearly)
      on_one.insert(cell);
  return on_one;
}

void link_times(const Evidence& evidence, std::vector<Finding>& findings) {
  const auto& design = evidence.design;
  const auto on_one_core = cells_on_one_core(evidence);
  const auto settled = [&](const Contrast& of, Known time) -> std::optional<MetricId> {
    for (const auto& f : findings)
      if (f.of == of && f.settled && f.verdict != Verdict::unclear &&
          design.metrics[f.metric].demand.watched && metrics::is(design.metrics[f.metric], time))
        return f.metric;
    return {};
  };
  for (auto& f : findings) {
    const auto& metric = design.metrics[f.metric];
    if (f.verdict != Verdict::unclear || !metric.demand.watched) continue;
    if (metrics::is(metric, Known::wall_time) && on_one_core.contains(f.of.baseline) &&
        on_one_core.contains(f.of.candidate))
      f.decided_by = settled(f.of, Known::cpu_time);
    else if (metrics::is_implied(metric))
      f.decided_by = settled(f.of, Known::wall_time);
    if (f.decided_by) f.to_settle.reset();
  }
}

bool stands_for_itself(const Design& design, const std::vector<Finding>& findings, MetricId metric) {
  const bool cpu_time_decides = std::ranges::any_of(findings, [&](const Finding& f) {
    return f.decided_by && metrics::is_implied(design.metrics[*f.decided_by]);
  });
  if (metrics::is_implied(design.metrics[metric])) return cpu_time_decides;
  return !metrics::is(design.metrics[metric], Known::wall_time) || !cpu_time_decides;
}

bool is_beside(const Findings& all, const Finding& finding) {
  if (finding.decided_by) return true;
  if (!metrics::is_implied(all.metric_of(finding))) return false;
  return std::ranges::any_of(all.findings, [&](const Finding& f) {
    return f.of == finding.of && !f.decided_by && metrics::is(all.metric_of(f), Known::wall_time);
  });
}

}  // namespace assay::inline v1::judge
