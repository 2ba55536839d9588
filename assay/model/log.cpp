#include "assay/model/log.hpp"

#include <algorithm>

namespace assay::inline v1::inline model {

std::string Sitting::fact(const std::string& name) const {
  const auto found = std::ranges::find(facts, name, &MachineFact::name);
  return found == facts.end() ? std::string{} : found->value;
}

Table<CellId, CellState> states_of(const Design& design, const Log& log) {
  Table<CellId, CellState> states(design.cells.size(), CellState{});
  for (const auto& change : log.standings) states[change.cell] = change.state;
  return states;
}

std::string doubt_about(const Log& log, WorkloadId workload) {
  std::string text;
  for (const auto& doubt : log.doubts)
    if (doubt.workload == workload) text = doubt.text;
  return text;
}

}  // namespace assay::inline v1::inline model
