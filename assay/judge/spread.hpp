#pragma once

#include <vector>

#include "assay/model/evidence.hpp"
#include "assay/model/findings.hpp"

namespace assay::judge {

/// Changes of spread on watched metrics: the absolute deviations of each cell's (log) values from their own
/// median, paired by round, by the signed-rank test; called when the adjusted p (Benjamini–Hochberg) is at
/// most 5 % and the ratio of the median deviations at least 1.5 either way. Deviations from an estimated
/// centre make the test approximate; simulation finds it call no change at most 5 % of the time from 10
/// rounds on. Looks at planned round counts only. Source: Levene 1960; Brown & Forsythe 1974 (the unpaired
/// form).
std::vector<SpreadFinding> judge_variability(const Observations& evidence);

}  // namespace assay::judge
