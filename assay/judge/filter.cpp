#include <set>
#include <string>
#include <variant>
#include <vector>

#include "assay/judge/judge.hpp"
#include "assay/model/error.hpp"

namespace assay::judge {

namespace {

/// Whether a note or reason on this is still of interest: what is not about cells always is.
bool concerns_chosen(const Design& design, const Subject& subject, const CellFilter& only) {
  if (const auto* cell = std::get_if<CellId>(&subject)) return matches(design, design.cells[*cell], only);
  if (const auto* candidate = std::get_if<CandidateId>(&subject))
    return only.matches("candidate", design.candidates[*candidate].name);
  if (const auto* workload = std::get_if<WorkloadId>(&subject))
    return only.matches("workload", design.workloads[*workload].name);
  return true;
}

}  // namespace

bool matches(const Design& design, const Cell& cell, const CellFilter& only) {
  return only.matches("candidate", design.candidates[cell.candidate].name) &&
         only.matches("workload", design.workloads[cell.workload].name) && only.matches(cell.setting);
}

void filter_results(Findings& findings, const CellFilter& only) {
  if (only.empty()) return;
  const auto& design = findings.design;
  std::set<std::string> factors;
  for (const auto& cell : design.cells)
    for (const auto& [factor, level] : cell.setting.levels) factors.insert(factor);
  only.refuse_unknown_names({factors.begin(), factors.end()}, "the campaign");
  findings.is_filtered = true;
  const auto chosen = [&](CellId cell) { return matches(design, design.cells[cell], only); };
  const auto in_row = [&](CandidateId candidate, WorkloadId workload, const Setting& others) {
    return only.matches("candidate", design.candidates[candidate].name) &&
           only.matches("workload", design.workloads[workload].name) && only.matches(others);
  };
  const auto of_other_cells = [&](const auto& finding) { return !chosen(finding.comparison.candidate); };
  std::erase_if(findings.findings, of_other_cells);
  std::erase_if(findings.profile, of_other_cells);
  std::erase_if(findings.failures, of_other_cells);
  std::erase_if(findings.spreads, of_other_cells);
  std::erase_if(findings.where, of_other_cells);
  std::erase_if(findings.ways, [&](const WayChoice& choice) {
    return !only.matches("workload", design.workloads[choice.workload].name);
  });
  std::erase_if(findings.programs, [&](const auto& cell) { return !chosen(cell.first); });
  std::erase_if(findings.wall_in_turns, [&](const auto& cell) { return !chosen(cell.first); });
  std::erase_if(findings.requirements, [&](const RequirementFinding& r) { return !chosen(r.cell); });
  std::erase_if(findings.scaling,
                [&](const ScalingCurve& t) { return !in_row(t.candidate, t.workload, t.others); });
  std::erase_if(findings.reversals,
                [&](const VerdictReversal& t) { return !in_row(t.candidate, t.workload, t.others); });
  std::erase_if(findings.rankings, [&](const Ranking& g) {
    return !only.matches("workload", design.workloads[g.workload].name) || !only.matches(g.setting);
  });
  // An overall is over all of a candidate's cells, or it is none.
  const bool parts = only.allowed.size() > (only.allowed.contains("candidate") ? 1U : 0U);
  std::erase_if(findings.overall, [&](const Overall& o) {
    return parts || !only.matches("candidate", design.candidates[o.candidate].name);
  });
  std::erase_if(findings.notes,
                [&](const Note& note) { return !concerns_chosen(design, note.subject, only); });
  // Those that are not chosen are dropped.
  for (const auto id : design.cells.ids())
    if (!chosen(id)) findings.statuses[id] = CellStatus{};
  if (findings.findings.empty())
    throw Error("no finding is left of those in the campaign", Error::Field::only,
                "names are candidate, workload and the factors; values as assay verdict shows them");
}

}  // namespace assay::judge
