#pragma once

#include <vector>

#include "assay/model/evidence.hpp"
#include "assay/model/findings.hpp"

namespace assay::judge {

/// Where a candidate's verdict turns to the opposite along a factor with three levels or two, other levels
/// equal. Levels are taken in order of their size where they are numbers, else in the order in which they
/// were listed; those that are called neither better nor worse don't count; there must be one turn only.
std::vector<VerdictReversal> find_reversals(const Observations& evidence, const Findings& findings);

}  // namespace assay::judge
