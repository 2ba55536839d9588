#pragma once

#include <vector>

#include "assay/model/observations.hpp"
#include "assay/model/results.hpp"

namespace assay::judge {

/// The candidates of each workload and setting in the order of their estimates on each watched metric, where
/// three or more are ok. Exact metrics have no ranking.
///
/// - A candidate's estimate is its change against the baseline that all baselines lead to: the effects on the
///   way, multiplied. Without an interval, or with one that spans more than a factor of two, it is not placed.
/// - Neighbours are distinguished by a test of all pairs by rounds (signed-rank, Holm-adjusted among each other),
///   by a finding that calls one against the other or both on opposite sides of one baseline, or by intervals
///   of those changes that don't touch. They are the same only where a finding says so.
///
/// Where no candidate differs, findings call something in at most 5 % of campaigns, and the test of all pairs in
/// another 5 %; so neighbours are apart in at most 10 %.
///
/// Looks at planned round counts only, with the boundary of the campaign's looks, so that it holds wherever a
/// campaign stopped. Cost: a test for each pair. Source: Holm 1979.
std::vector<Ranking> rank_candidates(const Observations& evidence, const Findings& findings);

}  // namespace assay::judge
