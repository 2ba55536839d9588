#pragma once

#include <string>
#include <vector>

#include "assay/model/results.hpp"

namespace assay::report {

/// How programs were run, where the campaign chose: a line for each way and reason, with the workloads it
/// holds for where there are several. `wall_in_turns`, of cells that were run another way, is shown where
/// they are few.
std::vector<std::string> way_lines(const Design& design, const std::vector<WayChoice>& ways,
                                   const std::map<CellId, double>& wall_in_turns = {});

}  // namespace assay::report
