#include "assay/judge/apart.hpp"

#include <algorithm>
#include <map>

#include "assay/judge/pairs.hpp"
#include "assay/model/error.hpp"

namespace assay::judge {
namespace {

/// The counted trials of `from`, in the new record's cells and metrics.
void copy_trials(const Record& from, const std::map<CellId, CellId>& cells,
                 const std::map<MetricId, MetricId>& metrics, Record& into) {
  const auto whole = whole_rounds(from);
  for (const auto& trial : from.trials) {
    const auto cell = cells.find(trial.cell);
    if (cell == cells.end() || trial.role != Role::counted || trial.outcome != Outcome::ok ||
        (trial.round && !whole.contains(*trial.round)))
      continue;
    Trial copy{.cell = cell->second};
    for (const auto& reading : trial.readings)
      if (const auto metric = metrics.find(reading.metric); metric != metrics.end())
        copy.readings.push_back({metric->second, reading.value});
    into.trials.push_back(std::move(copy));
  }
}

}  // namespace

Record held_apart(const Record& before, const Record& now) {
  Record record;
  record.info = now.info;
  record.info.kind = "apart";
  record.info.title = "two campaigns, not side by side: " + before.info.uid.substr(0, 8) + " and " +
                      now.info.uid.substr(0, 8);
  record.info.state = CampaignState::ended;
  record.info.rounds_min = record.info.rounds_max = 0;
  record.info.repeat.clear();
  record.workloads = now.workloads;
  record.factors = now.factors;
  record.sittings = now.sittings;
  std::map<MetricId, MetricId> of_now, of_before;
  for (std::size_t m = 0; m < now.metrics.size(); ++m) {
    const auto same = std::ranges::find(before.metrics, now.metrics[m].name, &Metric::name);
    if (!now.demands[m].watched || same == before.metrics.end()) continue;
    const MetricId id{static_cast<std::int64_t>(record.metrics.size())};
    of_now[MetricId{static_cast<std::int64_t>(m)}] = id;
    of_before[MetricId{same - before.metrics.begin()}] = id;
    record.metrics.push_back(now.metrics[m]);
    record.demands.push_back(now.demands[m]);
  }
  std::map<CellId, CellId> cells_before, cells_now;  // theirs to the new record's
  std::map<CandidateId, CandidateId> pairs;          // of `now` to the earlier one in the new record
  const auto add_cell = [&](CandidateId candidate, const Cell& like) {
    record.cells.push_back({.candidate = candidate, .workload = like.workload, .setting = like.setting});
    return CellId{static_cast<std::int64_t>(record.cells.size()) - 1};
  };
  for (std::size_t i = 0; i < now.cells.size(); ++i) {
    const auto& cell = now.cells[i];
    const auto& candidate = now.candidates[cell.candidate.place()];
    if (cell.standing == Standing::absent || candidate.twin_of) continue;
    const auto earlier = std::ranges::find_if(before.cells, [&](const Cell& other) {
      const auto& its = before.candidates[other.candidate.place()];
      return !its.twin_of && its.name == candidate.name && other.standing == Standing::sound &&
             before.workloads[other.workload.place()].name == now.workloads[cell.workload.place()].name &&
             other.setting == cell.setting;
    });
    if (earlier == before.cells.end()) continue;
    const auto next = CandidateId{static_cast<std::int64_t>(record.candidates.size())};
    const auto [pair, fresh] = pairs.try_emplace(cell.candidate, next);
    if (fresh) {
      auto old = before.candidates[earlier->candidate.place()], fresh_one = candidate;
      old.name += " (before)";
      old.against = {};
      fresh_one.against = next;
      record.candidates.push_back(std::move(old));
      record.candidates.push_back(std::move(fresh_one));
    }
    const CandidateId mine{pair->second.value + 1};
    const auto old_cell = add_cell(pair->second, cell), new_cell = add_cell(mine, cell);
    if (cell.standing != Standing::sound) {  // it was sound before, so this is to be told
      record.cells.back().standing = cell.standing;
      record.cells.back().detail = cell.detail;
      continue;
    }
    record.contrasts.push_back({old_cell, new_cell});
    cells_before[CellId{earlier - before.cells.begin()}] = old_cell;
    cells_now[CellId{static_cast<std::int64_t>(i)}] = new_cell;
  }
  if (record.contrasts.empty())
    throw Error("the two campaigns have no sound cell in common", "verdict",
                "candidates, workloads and settings are matched by name");
  copy_trials(before, cells_before, of_before, record);
  copy_trials(now, cells_now, of_now, record);
  return record;
}

}  // namespace assay::judge
