#include "assay/model/log.hpp"

#include <algorithm>

namespace assay::model {

std::string Session::fact(const std::string& name) const {
  const auto found = std::ranges::find(facts, name, &MachineFact::name);
  return found == facts.end() ? std::string{} : found->value;
}

IdTable<CellId, CellStatus> cell_statuses(const Design& design, const Log& log) {
  IdTable<CellId, CellStatus> states(design.cells.size(), CellStatus{});
  for (const auto& change : log.status_changes) states[change.cell] = change.status;
  return states;
}

std::string find_check_warning(const Log& log, WorkloadId workload) {
  std::string text;
  for (const auto& doubt : log.check_warnings)
    if (doubt.workload == workload) text = doubt.text;
  return text;
}

}  // namespace assay::model
