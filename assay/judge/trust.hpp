#pragma once

#include "assay/model/evidence.hpp"
#include "assay/model/findings.hpp"

namespace assay::judge {

/// Looks through what was measured for what weakens the findings, and adds a note for each thing: outputs
/// that differ from the baseline's where equality was not asked for, builds that are alike or unlike (see
/// build_notes()), processes left behind, trials that failed now and then, twins that were called, and
/// what add_machine_notes() and add_series_notes() find. Warnings come first.
void add_notes(const Observations& evidence, Findings& findings);

}  // namespace assay::judge
