#include "assay/judge/repeats.hpp"

#include <algorithm>
#include <map>
#include <string>
#include <utility>
#include <vector>

#include "assay/metrics/catalogue.hpp"
#include "assay/schedule/repeats.hpp"

namespace assay::judge {

std::map<CellId, double> mean_trial_seconds(const Observations& evidence) {
  const auto wall = metrics::find(evidence.design.metrics, metrics::MetricKind::wall_time),
             cpu = metrics::find(evidence.design.metrics, metrics::MetricKind::cpu_time);
  std::map<CellId, std::pair<double, int>> in_rounds, in_checks;
  const auto add = [&](const std::optional<MetricId>& metric, Observations::Source from, bool abreast,
                       auto& sums) {
    if (!metric) return;
    const auto& column = evidence.values(*metric, from);
    for (std::size_t i = 0; i < column.size(); ++i)
      if ((column.position[i] < 0) == abreast) {
        auto& [sum, count] = sums[column.cell[i]];
        sum += column.value[i];
        ++count;
      }
  };
  using From = Observations::Source;
  for (const auto from : {From::judged, From::control, From::pilot, From::warm_up}) {
    add(wall, from, false, in_rounds);
    add(cpu, from, true, in_rounds);
  }
  add(wall, From::checked, false, in_checks);
  std::map<CellId, double> times;
  for (const auto* part : {&in_rounds, &in_checks})
    for (const auto& [cell, total] : *part)
      if (total.second > 0) times.try_emplace(cell, total.first / total.second);
  return times;
}

namespace {

std::map<CellId, double> least_costs(const Observations& evidence) {
  std::map<CellId, double> costs;
  const auto time = metrics::find(evidence.design.metrics, metrics::MetricKind::wall_time);
  if (!time) return costs;
  for (const auto from : {Observations::Source::checked, Observations::Source::warm_up}) {
    const auto& column = evidence.values(*time, from);
    for (std::size_t i = 0; i < column.size(); ++i) {
      const auto [cost, fresh] = costs.try_emplace(column.cell[i], column.value[i]);
      if (!fresh) cost->second = std::min(cost->second, column.value[i]);
    }
  }
  return costs;
}

}  // namespace

IdTable<CellId, int> plan_repeats(const Observations& evidence,
                                  const std::function<bool(CellId)>& may_repeat) {
  const auto& design = evidence.design;
  IdTable<CellId, int> slots(design.cells.size(), 1);
  if (evidence.has_judged_rounds()) {
    for (const auto cell : design.cells.ids()) slots[cell] = evidence.repeats(cell);
    return slots;
  }
  const auto costs = least_costs(evidence);
  std::map<std::pair<WorkloadId, std::string>, std::vector<CellId>> places;
  for (const auto cell : design.cells.ids()) {
    const auto known = costs.find(cell);
    if (!evidence.is_ok(cell) || design.is_twin(cell) || known == costs.end() || !(known->second > 0))
      continue;
    if (may_repeat(cell))
      places[{design.cells[cell].workload, design.cells[cell].setting.text()}].push_back(cell);
  }
  for (const auto& [place, cells] : places) {
    std::vector<double> cost;
    for (const auto cell : cells) cost.push_back(costs.at(cell));
    const auto planned = schedule::repeats_by_cost(cost);
    for (std::size_t i = 0; i < cells.size(); ++i) slots[cells[i]] = planned[i];
  }
  for (const auto& comparison : design.comparisons)
    if (design.is_twin(comparison.candidate)) slots[comparison.candidate] = slots[comparison.baseline];
  return slots;
}

}  // namespace assay::judge
