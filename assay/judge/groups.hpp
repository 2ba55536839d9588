#pragma once

#include <vector>

#include "assay/model/observations.hpp"
#include "assay/model/results.hpp"

namespace assay::judge {

/// The groups of sound candidates that can't be told apart, where there are three or more, by workload,
/// setting and watched metric: all pairs are tested by rounds (signed-rank), Holm-adjusted among each other,
/// and those that a finding calls better or worse, two findings on opposite sides of one baseline, or
/// intervals against one baseline (of the baselines between, multiplied) that don't touch, are told apart
/// besides; a group is a largest set in which no pair was. Only where some pair was and some pair was not.
/// Where groups would outnumber the candidates, they say nothing, and are left out.
///
/// Looks at planned round counts only, with the boundary of the campaign's looks, so that it holds wherever a
/// campaign stopped. Source: Holm 1979; Bron & Kerbosch 1973, Tomita et al. 2006 (largest sets).
std::vector<CandidateGroup> find_groups(const Observations& evidence, const Findings& findings);

}  // namespace assay::judge
