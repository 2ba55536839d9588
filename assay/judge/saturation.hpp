#pragma once

#include "assay/model/observations.hpp"
#include "assay/model/results.hpp"

namespace assay::judge {

/// Takes declared ceilings into account, on each finding whose metric has one. Where both typical values are
/// within 1 % of it, the verdict is taken back: differences can't show there. Where one is, the finding gets
/// a note: its change may be larger. Values more than 1 % beyond a ceiling are a warning, once for the
/// metric.
void apply_saturation(const Observations& evidence, Findings& findings);

}  // namespace assay::judge
