#include <algorithm>
#include <map>
#include <optional>
#include <utility>

#include "assay/judge/unpaired.hpp"
#include "assay/model/error.hpp"
#include "assay/model/observations.hpp"

namespace assay::judge {
namespace {

/// The values of `from` as trials of the new record's cells and metrics.
void copy_values(const Record& from, const std::map<CellId, CellId>& cells,
                 const std::map<MetricId, MetricId>& metrics, Record& into) {
  const Observations evidence(from.design, from.log);
  using From = Observations::Source;
  for (const auto& [theirs, ours] : metrics)
    for (const auto which : {From::judged, From::unpaired}) {
      const auto& column = evidence.values(theirs, which);
      for (std::size_t i = 0; i < column.size(); ++i)
        if (const auto cell = cells.find(column.cell[i]); cell != cells.end())
          into.log.trials.push_back({.cell = cell->second, .readings = {{ours, column.value[i]}}});
    }
}

/// The cell of `before` that a cell of `now` is compared with: that of the same names, if it is ok.
std::optional<CellId> earlier_cell(const Record& before, const IdTable<CellId, CellStatus>& states,
                                   const Design& now, const Cell& cell) {
  const auto& name = now.candidates[cell.candidate].name;
  const auto& workload = now.workloads[cell.workload].name;
  for (const auto id : before.design.cells.ids()) {
    const auto& other = before.design.cells[id];
    if (!before.design.is_twin(id) && before.design.candidates[other.candidate].name == name &&
        states[id].is_ok() && before.design.workloads[other.workload].name == workload &&
        other.setting == cell.setting)
      return id;
  }
  return {};
}

}  // namespace

Record combine_campaigns(const Record& before, const Record& now) {
  Record record;
  auto& design = record.design;
  design = now.design;
  design.kind = CampaignKind::combined;
  design.title = "two campaigns, not side by side: " + short_uid(before.design.uid) + " and " +
                 short_uid(now.design.uid);
  design.rules.rounds_min = design.rules.rounds_max = 0;
  design.repeat_command.clear();
  design.candidates = {};
  design.cells = {};
  design.comparisons.clear();
  design.metrics = {};
  record.log.state = CampaignState::ended;
  record.log.sessions = now.log.sessions;
  std::map<MetricId, MetricId> of_now, of_before;
  for (const auto id : now.design.metrics.ids()) {
    const auto& metric = now.design.metrics[id];
    const auto same = before.design.metrics.find_by_name(metric.name);
    if (!metric.request.watched || !same) continue;
    of_now[id] = of_before[*same] = design.metrics.add(metric);
  }
  const auto states_before = cell_statuses(before.design, before.log),
             states_now = cell_statuses(now.design, now.log);
  std::map<CellId, CellId> cells_before, cells_now;  // theirs to the new record's
  std::map<CandidateId, std::pair<CandidateId, CandidateId>>
      pairs;  // of `now`: before and now in the new record
  for (const auto id : now.design.cells.ids()) {
    const auto& cell = now.design.cells[id];
    const auto& candidate = now.design.candidates[cell.candidate];
    if (states_now[id].code == StatusCode::unsupported || candidate.twin_of) continue;
    const auto earlier = earlier_cell(before, states_before, now.design, cell);
    if (!earlier) continue;
    if (!pairs.contains(cell.candidate)) {
      auto old = before.design.candidate_of(*earlier), mine = candidate;
      old.name += " (before)";
      old.baseline = {};
      const auto baseline = design.candidates.add(std::move(old));
      mine.baseline = baseline;
      pairs[cell.candidate] = {baseline, design.candidates.add(std::move(mine))};
    }
    const auto [was, is] = pairs.at(cell.candidate);
    const auto old_cell = design.cells.add({was, cell.workload, cell.setting}),
               new_cell = design.cells.add({is, cell.workload, cell.setting});
    if (!states_now[id].is_ok()) {  // it was ok before, so this is reported
      record.log.status_changes.push_back({new_cell, states_now[id]});
      continue;
    }
    design.comparisons.push_back({old_cell, new_cell});
    cells_before[*earlier] = old_cell;
    cells_now[id] = new_cell;
  }
  if (design.comparisons.empty())
    throw Error("the two campaigns have no sound cell in common", "verdict",
                "candidates, workloads and settings are matched by name");
  copy_values(before, cells_before, of_before, record);
  copy_values(now, cells_now, of_now, record);
  return record;
}

}  // namespace assay::judge
