#include "assay/judge/keep_only.hpp"

#include <vector>

#include "assay/model/error.hpp"

namespace assay::judge {

bool is_chosen(const Findings& findings, const Cell& cell, const Only& only) {
  return only.admits("candidate", findings.candidate(cell).name) &&
         only.admits("workload", findings.workload(cell).name) && only.admits(cell.setting);
}

void keep_only(Findings& findings, const Only& only) {
  if (only.empty()) return;
  findings.narrowed = true;
  const auto chosen = [&](CellId cell) { return is_chosen(findings, findings.cells[cell.place()], only); };
  const auto in_row = [&](CandidateId candidate, WorkloadId workload, const Setting& others) {
    return only.admits("candidate", findings.candidates[candidate.place()].name) &&
           only.admits("workload", findings.workloads[workload.place()].name) && only.admits(others);
  };
  const auto of_other_cells = [&](const auto& finding) { return !chosen(finding.of.candidate); };
  std::erase_if(findings.findings, of_other_cells);
  std::erase_if(findings.failures, of_other_cells);
  std::erase_if(findings.spreads, of_other_cells);
  std::erase_if(findings.requirements, [&](const RequirementFinding& r) { return !chosen(r.cell); });
  std::erase_if(findings.trends, [&](const Trend& t) { return !in_row(t.candidate, t.workload, t.others); });
  std::erase_if(findings.turns, [&](const Turn& t) { return !in_row(t.candidate, t.workload, t.others); });
  std::erase_if(findings.groups, [&](const Group& g) {
    return !only.admits("workload", findings.workloads[g.workload.place()].name) || !only.admits(g.setting);
  });
  // An overall is over all of a candidate's cells, or it is none.
  const bool parts = only.allowed.size() > (only.allowed.contains("candidate") ? 1U : 0U);
  std::erase_if(findings.overall, [&](const Overall& o) {
    return parts || !only.admits("candidate", findings.candidates[o.candidate.place()].name);
  });
  // Cells keep their places; those that are not chosen are no longer told of.
  for (auto& cell : findings.cells)
    if (!is_chosen(findings, cell, only)) cell.standing = Standing::sound;
  if (findings.findings.empty())
    throw Error("no finding is left of those in the campaign", "--only",
                "names are candidate, workload and the factors; values as assay verdict shows them");
}

}  // namespace assay::judge
