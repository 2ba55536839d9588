#pragma once

#include <vector>

#include "assay/model/evidence.hpp"
#include "assay/model/findings.hpp"

namespace assay::inline v1::judge {

/// Each candidate's change over all its comparisons with one baseline on a watched ratio metric, two at
/// least: in every round that all of them have a pair of, the weighted mean of their log ratios (see
/// Workload::weight), judged as one paired finding by the signed-rank test. Comparisons that were settled
/// early have fewer rounds, and then so has this; `obstacle` says where that leaves too few, or where the
/// ratio changes with a size, so that no single figure is quoted. The candidates' overalls on a metric are
/// one family. Looks at planned round counts only. Source: as settle().
std::vector<Overall> judge_overall(const Evidence& evidence, const Findings& findings);

}  // namespace assay::inline v1::judge
