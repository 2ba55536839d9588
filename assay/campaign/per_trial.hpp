#pragma once

#include <optional>

#include "assay/measure/process.hpp"
#include "assay/model/plan.hpp"

namespace assay::campaign {

/// Fills what is known only when a trial begins: `${port}`, `given` or else a free one, for the command, its
/// environment and the steps around it; it is returned. Does nothing where nobody waits for one. Throws
/// Error(measuring) when there is no port.
std::optional<int> bind_port(measure::Command& command, Control& control, std::optional<int> given = {});

}  // namespace assay::campaign
