#include "assay/judge/keep_only.hpp"

#include <variant>
#include <vector>

#include "assay/model/error.hpp"

namespace assay::inline v1::judge {

namespace {

/// Whether a note or reason on this is still of interest: what is not about cells always is.
bool concerns_chosen(const Design& design, const Subject& subject, const Only& only) {
  if (const auto* cell = std::get_if<CellId>(&subject)) return is_chosen(design, design.cells[*cell], only);
  if (const auto* candidate = std::get_if<CandidateId>(&subject))
    return only.admits("candidate", design.candidates[*candidate].name);
  if (const auto* workload = std::get_if<WorkloadId>(&subject))
    return only.admits("workload", design.workloads[*workload].name);
  return true;
}

}  // namespace

bool is_chosen(const Design& design, const Cell& cell, const Only& only) {
  return only.admits("candidate", design.candidates[cell.candidate].name) &&
         only.admits("workload", design.workloads[cell.workload].name) && only.admits(cell.setting);
}

void keep_only(Findings& findings, const Only& only) {
  if (only.empty()) return;
  const auto& design = findings.design;
  findings.narrowed = true;
  const auto chosen = [&](CellId cell) { return is_chosen(design, design.cells[cell], only); };
  const auto in_row = [&](CandidateId candidate, WorkloadId workload, const Setting& others) {
    return only.admits("candidate", design.candidates[candidate].name) &&
           only.admits("workload", design.workloads[workload].name) && only.admits(others);
  };
  const auto of_other_cells = [&](const auto& finding) { return !chosen(finding.of.candidate); };
  std::erase_if(findings.findings, of_other_cells);
  std::erase_if(findings.profile, of_other_cells);
  std::erase_if(findings.failures, of_other_cells);
  std::erase_if(findings.spreads, of_other_cells);
  std::erase_if(findings.requirements, [&](const RequirementFinding& r) { return !chosen(r.cell); });
  std::erase_if(findings.trends, [&](const Trend& t) { return !in_row(t.candidate, t.workload, t.others); });
  std::erase_if(findings.turns,
                [&](const TurningPoint& t) { return !in_row(t.candidate, t.workload, t.others); });
  std::erase_if(findings.groups, [&](const CandidateGroup& g) {
    return !only.admits("workload", design.workloads[g.workload].name) || !only.admits(g.setting);
  });
  // An overall is over all of a candidate's cells, or it is none.
  const bool parts = only.allowed.size() > (only.allowed.contains("candidate") ? 1U : 0U);
  std::erase_if(findings.overall, [&](const Overall& o) {
    return parts || !only.admits("candidate", design.candidates[o.candidate].name);
  });
  std::erase_if(findings.trust,
                [&](const Note& note) { return !concerns_chosen(design, note.subject, only); });
  // Those that are not chosen are no longer told of.
  for (const auto id : design.cells.ids())
    if (!chosen(id)) findings.states[id] = CellState{};
  if (findings.findings.empty())
    throw Error("no finding is left of those in the campaign", "--only",
                "names are candidate, workload and the factors; values as assay verdict shows them");
}

}  // namespace assay::inline v1::judge
