#pragma once

#include <vector>

#include "assay/model/evidence.hpp"
#include "assay/model/findings.hpp"

namespace assay::judge {

/// Fisher's exact test of the failure rates of the contrasts in which a judged trial failed;
/// Benjamini–Hochberg among them at 5 %. Cells that left the campaign are not asked. Source: Fisher 1935.
std::vector<FailureFinding> judge_failures(const Observations& evidence);

}  // namespace assay::judge
