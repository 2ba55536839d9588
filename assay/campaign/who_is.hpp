#pragma once

#include <stop_token>
#include <string>
#include <vector>

#include "assay/campaign/service_cell.hpp"
#include "assay/measure/process.hpp"
#include "assay/model/cell.hpp"

namespace assay::campaign {

/// How a candidate stands once it was asked who it is: sound, with the first line of its answer as detail;
/// absent where it ends with the status that says so; failed where it gives no answer.
///
/// `identify` is a command that says it; the other form starts the cell's server and asks for a path.
CellStatus query_identity(const std::vector<std::string>& identify, const std::string& folder,
                          measure::Launcher& launcher, const std::stop_token& stop);
CellStatus query_server_identity(const ServerCell& cell, const std::string& path, measure::Launcher& launcher,
                                 const std::stop_token& stop);

}  // namespace assay::campaign
