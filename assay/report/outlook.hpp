#pragma once

#include <string>

#include "assay/model/design.hpp"
#include "assay/model/outlook.hpp"

namespace assay::report {

/// What can be expected of a campaign, a line each. Before any round: cells, what a round takes and what the
/// time is enough for. After the first few: for the first two metrics, how small a change the rounds tell,
/// and what "same" takes. `design` names the cells.
std::string forecast_lines(const Forecast& outlook, const Design& design);

/// The same, with a line for each finding to come.
std::string to_text(const Forecast& outlook, const Design& design);

}  // namespace assay::report
