#include "assay/render/overview.hpp"

#include <map>
#include <set>

#include "assay/render/prose.hpp"
#include "assay/render/table.hpp"
#include "assay/render/units.hpp"

namespace assay::render {

Overview overview_of(const Findings& all, MetricId metric, std::optional<WorkloadId> workload) {
  const auto column_of = [&](const Cell& cell) {
    return workload ? cell.setting.text() : cell_text(all, cell);
  };
  std::map<std::pair<CandidateId, std::string>, Overview::Entry> entries;
  std::set<CandidateId> told;
  for (const auto& f : all.findings) {
    const auto& cell = all.candidate_of(f);
    if (f.metric != metric || all.candidate(cell).twin_of || (workload && cell.workload != *workload))
      continue;
    entries[{cell.candidate, column_of(cell)}].finding = &f;
    told.insert(cell.candidate);
  }
  Overview overview;
  if (entries.empty()) return overview;
  std::set<std::string> seen;
  for (const auto& cell : all.cells) {
    if (all.candidate(cell).twin_of || (workload && cell.workload != *workload)) continue;
    const auto column = column_of(cell);
    if (cell.standing != Standing::sound) {
      entries[{cell.candidate, column}].cell = &cell;
      told.insert(cell.candidate);
    }
    if (entries.contains({cell.candidate, column}) && seen.insert(column).second)
      overview.columns.push_back(column);
  }
  for (const auto id : told) {
    overview.candidates.push_back(id);
    auto& row = overview.rows.emplace_back();
    for (const auto& column : overview.columns) {
      const auto found = entries.find({id, column});
      row.push_back(found == entries.end() ? Overview::Entry{} : found->second);
    }
  }
  return overview;
}

std::string entry_text(const Findings& all, MetricId id, const Overview::Entry& entry) {
  if (entry.finding == nullptr) return entry.cell == nullptr ? "" : to_string(entry.cell->standing);
  const auto& metric = all.metrics[id.place()];
  return effect_text(entry.finding->effect, metric.scale == Scale::ratio, metric.unit) + " " +
         verdict_text(entry.finding->verdict, {}).substr(0, 1);
}

}  // namespace assay::render
