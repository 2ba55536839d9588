#pragma once

#include <vector>

#include "assay/model/observations.hpp"
#include "assay/model/results.hpp"

namespace assay::judge {

/// Holds every sound cell's own values against what its metrics are required to be: met when the whole
/// interval of the cell's median fulfils the requirement, broken when none of it does, else undecided. The
/// interval is that of order statistics, unbounded with few rounds, for as many values as independent ones
/// would tell as much: neighbouring rounds are often alike. All intervals of a campaign hold together with a
/// chance of 95 %, at all of its looks. Cells without values are left out; twins too.
std::vector<RequirementFinding> judge_requirements(const Observations& evidence);

}  // namespace assay::judge
