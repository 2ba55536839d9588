#pragma once

#include <cstddef>
#include <optional>
#include <vector>

#include "assay/model/ids.hpp"

namespace assay::inline model {

/// The values of one metric, in columns of one length: all that judging sees of a campaign.
struct Evidence {
  MetricId metric;
  std::vector<CellId> cell;
  std::vector<std::optional<int>> round;
  std::vector<MachineId> machine;
  std::vector<int> position;
  std::vector<double> value;

  std::size_t size() const { return value.size(); }
  void add(CellId in_cell, std::optional<int> in_round, MachineId on, int at, double measured) {
    cell.push_back(in_cell);
    round.push_back(in_round);
    machine.push_back(on);
    position.push_back(at);
    value.push_back(measured);
  }
};

}  // namespace assay::inline model
