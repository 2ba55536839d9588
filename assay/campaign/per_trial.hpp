#pragma once

#include "assay/measure/process.hpp"
#include "assay/model/plan.hpp"

namespace assay::inline v1::campaign {

/// Fills what is known only when a trial begins: `${port}`, one free port for the command, its environment
/// and the steps around it. Does nothing where nobody waits for one. Throws Error(measuring) when there is no
/// port.
void fill_per_trial(measure::Command& command, Control& control);

}  // namespace assay::inline v1::campaign
