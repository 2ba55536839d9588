#include "assay/judge/keep_only.hpp"

#include <vector>

#include "assay/model/error.hpp"

namespace assay::judge {

void keep_only(Findings& findings, const Only& only) {
  if (only.empty()) return;
  const auto chosen = [&](const Cell& cell) {
    return only.admits("candidate", findings.candidate(cell).name) &&
           only.admits("workload", findings.workload(cell).name) && only.admits(cell.setting);
  };
  std::erase_if(findings.findings, [&](const Finding& f) { return !chosen(findings.candidate_of(f)); });
  std::erase_if(findings.requirements,
                [&](const RequirementFinding& r) { return !chosen(findings.cells[r.cell.place()]); });
  std::erase_if(findings.trends, [&](const Trend& t) {
    return !only.admits("candidate", findings.candidates[t.candidate.place()].name) ||
           !only.admits("workload", findings.workloads[t.workload.place()].name) || !only.admits(t.others);
  });
  // Cells keep their places; those that are not chosen are no longer told of.
  for (auto& cell : findings.cells)
    if (!chosen(cell)) cell.standing = Standing::sound;
  if (findings.findings.empty())
    throw Error("no finding is left of those in the campaign", "--only",
                "names are candidate, workload and the factors; values as assay verdict shows them");
}

}  // namespace assay::judge
