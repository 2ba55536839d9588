#include "assay/report/overview.hpp"

#include <map>
#include <set>

#include "assay/model/names.hpp"
#include "assay/report/names.hpp"
#include "assay/report/sentences.hpp"
#include "assay/report/units.hpp"

namespace assay::report {

namespace {

std::string text_of(const Overview::Entry& entry, const Metric& metric) {
  if (entry.finding == nullptr) return entry.standing ? to_string(*entry.standing) : "";
  return effect_text(entry.finding->effect, metric.unit) + " " + sign_of(entry.finding->verdict);
}

}  // namespace

Overview make_overview(const Findings& all, MetricId metric, std::optional<WorkloadId> workload) {
  const auto column_of = [&](const Cell& cell) {
    return workload ? cell.setting.text() : cell_text(all, cell);
  };
  std::map<std::pair<Comparison, MetricId>, const Finding*> known;
  for (const auto& f : all.findings) known[{f.comparison, f.metric}] = &f;
  std::map<std::pair<CandidateId, std::string>, Overview::Entry> entries;
  std::set<CandidateId> shown;
  for (const auto& f : all.findings) {
    const auto& cell = all.candidate_cell(f);
    if (f.metric != metric || all.candidate(cell).twin_of || (workload && cell.workload != *workload))
      continue;
    entries[{cell.candidate, column_of(cell)}].finding =
        f.superseded_by ? known.at({f.comparison, *f.superseded_by}) : &f;
    shown.insert(cell.candidate);
  }
  Overview overview;
  if (entries.empty()) return overview;
  std::set<std::string> seen;
  for (const auto cell_id : all.design.cells.ids()) {
    const auto& cell = all.design.cells[cell_id];
    if (all.candidate(cell).twin_of || (workload && cell.workload != *workload)) continue;
    const auto column = column_of(cell);
    if (!all.statuses[cell_id].is_ok()) {
      entries[{cell.candidate, column}].standing = all.statuses[cell_id].code;
      shown.insert(cell.candidate);
    }
    if (entries.contains({cell.candidate, column}) && seen.insert(column).second)
      overview.columns.push_back(column);
  }
  for (const auto id : shown) {
    overview.candidates.push_back(id);
    overview.names.push_back(all.design.candidates[id].name);
    auto& row = overview.rows.emplace_back();
    for (const auto& column : overview.columns) {
      const auto found = entries.find({id, column});
      row.push_back(found == entries.end() ? Overview::Entry{} : found->second);
      row.back().text = text_of(row.back(), all.design.metrics[metric]);
    }
  }
  return overview;
}

}  // namespace assay::report
