#include "assay/judge/cpu_wall.hpp"

#include <algorithm>
#include <map>
#include <utility>
#include <vector>

#include "assay/judge/paired_test.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/stats/change_posterior.hpp"
#include "assay/stats/location.hpp"

namespace assay::judge {

using metrics::MetricKind;

namespace {

/// The values of a metric of runs, by cell, and by round and repeat.
using ByTrial = std::map<CellId, std::map<std::pair<int, int>, double>>;

ByTrial by_trial(const Observations& evidence, MetricKind known) {
  ByTrial values;
  const auto metric = metrics::find(evidence.design.metrics, known);
  if (!metric) return values;
  const auto& column = evidence.values(*metric);
  for (std::size_t i = 0; i < column.size(); ++i)
    values[column.cell[i]][{column.round[i], column.repeat[i]}] = column.value[i];
  return values;
}

double value_at(const ByTrial& values, CellId cell, const std::pair<int, int>& trial, double otherwise) {
  const auto of = values.find(cell);
  if (of == values.end()) return otherwise;
  const auto found = of->second.find(trial);
  return found == of->second.end() ? otherwise : found->second;
}

/// What a cell's first run of each round waited for other things than a core, by round.
std::map<int, double> own_waits(const Observations& evidence, CellId cell) {
  const auto wall = by_trial(evidence, MetricKind::wall_time), cpu = by_trial(evidence, MetricKind::cpu_time),
             core = by_trial(evidence, MetricKind::core_wait),
             stolen = by_trial(evidence, MetricKind::stolen_time);
  std::map<int, double> waits;
  const auto walls = wall.find(cell);
  if (walls == wall.end() || !core.contains(cell) || !cpu.contains(cell)) return waits;
  for (const auto& [trial, seconds] : walls->second)
    if (trial.second == 0)
      waits[trial.first] =
          std::max(0.0, seconds - value_at(cpu, cell, trial, 0) - value_at(core, cell, trial, 0) -
                            value_at(stolen, cell, trial, 0));
  return waits;
}

}  // namespace

std::set<CellId> single_core_cells(const Observations& evidence) {
  constexpr double nearly = 0.03, few = 0.1;
  const auto wall = by_trial(evidence, MetricKind::wall_time),
             core = by_trial(evidence, MetricKind::core_wait);
  std::set<CellId> on_one;
  for (const auto& [cell, trials] : by_trial(evidence, MetricKind::cores_used)) {
    std::vector<double> used, busy;
    for (const auto& [trial, cores] : trials) {
      used.push_back(cores);
      const double seconds = value_at(wall, cell, trial, 0);
      if (core.contains(cell) && seconds > 0)
        busy.push_back(cores + value_at(core, cell, trial, 0) / seconds);
    }
    if (std::ranges::max(used) > 1 + nearly) continue;
    if (busy.empty() ? stats::quantile(used, few) >= 1 - nearly : stats::median(busy) >= 1 - nearly)
      on_one.insert(cell);
  }
  return on_one;
}

bool wait_alike(const Observations& evidence, const Comparison& of) {
  const auto wall = metrics::find(evidence.design.metrics, MetricKind::wall_time);
  if (!wall) return false;
  const auto its = own_waits(evidence, of.baseline), mine = own_waits(evidence, of.candidate);
  if (its.empty() && mine.empty()) return true;
  std::vector<double> a, b;
  for (const auto& [round, seconds] : its)
    if (const auto found = mine.find(round); found != mine.end()) {
      a.push_back(seconds);
      b.push_back(found->second);
    }
  if (a.empty()) return false;
  std::vector<double> walls;
  const auto& column = evidence.values(*wall);
  for (std::size_t i = 0; i < column.size(); ++i)
    if (column.cell[i] == of.baseline) walls.push_back(column.value[i]);
  if (walls.empty()) return false;
  const double margin = evidence.design.margin_of(*wall) * stats::median(walls);
  const auto judged = judge_paired(a, b,
                                   {.metric = {.name = "own wait", .unit = "s", .scale = Scale::difference},
                                    .margin = margin,
                                    .no_clipping = true});
  if (judged.verdict != Verdict::same) return false;
  const stats::MeanChange mean(a, b, false);
  return mean.p_above(margin) > withheld_at && mean.p_below(-margin) > withheld_at;
}

void link_cpu_and_wall(const Observations& evidence, std::vector<Finding>& findings) {
  const auto& design = evidence.design;
  const auto on_one_core = single_core_cells(evidence);
  const auto settled = [&](const Comparison& of, MetricKind time) -> std::optional<MetricId> {
    for (const auto& f : findings)
      if (f.comparison == of && f.decided && f.verdict != Verdict::unclear &&
          design.metrics[f.metric].request.watched && metrics::is_kind(design.metrics[f.metric], time))
        return f.metric;
    return {};
  };
  for (auto& f : findings) {
    const auto& metric = design.metrics[f.metric];
    if (f.verdict != Verdict::unclear || !metric.request.watched || f.machines_disagree()) continue;
    if (metrics::is_kind(metric, MetricKind::wall_time) && on_one_core.contains(f.comparison.baseline) &&
        on_one_core.contains(f.comparison.candidate)) {
      if (const auto cpu_time = settled(f.comparison, MetricKind::cpu_time);
          cpu_time && wait_alike(evidence, f.comparison))
        f.superseded_by = cpu_time;
    }
    if (metrics::is_default_cpu_time(metric)) f.superseded_by = settled(f.comparison, MetricKind::wall_time);
    if (f.superseded_by) f.rounds_to_decide.reset();
  }
}

bool is_primary_time(const Design& design, const std::vector<Finding>& findings, MetricId metric) {
  const bool cpu_time_decides = std::ranges::any_of(findings, [&](const Finding& f) {
    return f.superseded_by && metrics::is_default_cpu_time(design.metrics[*f.superseded_by]);
  });
  const auto has_wall = [&](const Comparison& of) {
    return std::ranges::any_of(findings, [&](const Finding& f) {
      return f.comparison == of && metrics::is_kind(design.metrics[f.metric], MetricKind::wall_time);
    });
  };
  if (metrics::is_default_cpu_time(design.metrics[metric]))  // abreast there is no wall time to judge
    return cpu_time_decides || std::ranges::any_of(findings, [&](const Finding& f) {
             return f.metric == metric && !has_wall(f.comparison);
           });
  return !metrics::is_kind(design.metrics[metric], MetricKind::wall_time) || !cpu_time_decides;
}

bool is_secondary(const Findings& all, const Finding& finding) {
  if (finding.superseded_by) return true;
  if (!metrics::is_default_cpu_time(all.metric_of(finding))) return false;
  return std::ranges::any_of(all.findings, [&](const Finding& f) {
    return f.comparison == finding.comparison && !f.superseded_by &&
           metrics::is_kind(all.metric_of(f), MetricKind::wall_time);
  });
}

}  // namespace assay::judge
