#include "assay/report/labels.hpp"

#include <variant>

namespace assay::report {

std::string place_label(const Design& design, const Cell& cell) {
  std::string text = design.workloads.size() > 1 ? design.workloads[cell.workload].name : "";
  if (const auto setting = cell.setting.text(); !setting.empty())
    text += (text.empty() ? "" : ", ") + setting;
  return text;
}

std::string cell_label(const Design& design, CellId id) {
  const auto& cell = design.cells[id];
  std::string text = design.candidates[cell.candidate].name;
  if (design.workloads.size() > 1) text += " on " + design.workloads[cell.workload].name;
  if (const auto setting = cell.setting.text(); !setting.empty()) text += ", " + setting;
  return text;
}

std::string subject_label(const Design& design, const Subject& subject) {
  struct Name {
    const Design& design;
    std::string operator()(const WholeCampaign&) const { return "the campaign"; }
    std::string operator()(const ThisMachine&) const { return "this machine"; }
    std::string operator()(CandidateId id) const { return design.candidates[id].name; }
    std::string operator()(CellId id) const { return cell_label(design, id); }
    std::string operator()(WorkloadId id) const { return "workload " + design.workloads[id].name; }
    std::string operator()(MetricId id) const { return design.metrics[id].name; }
  };
  return std::visit(Name{design}, subject);
}

std::string sign_of(Verdict verdict) {
  switch (verdict) {
    case Verdict::better:
      return "+";
    case Verdict::worse:
      return "!";
    case Verdict::same:
      return "=";
    case Verdict::differs:
      return "≠";
    case Verdict::unclear:
      break;
  }
  return "?";
}

}  // namespace assay::report
