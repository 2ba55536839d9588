#pragma once

#include <span>
#include <vector>

#include "assay/model/evidence.hpp"
#include "assay/model/findings.hpp"

namespace assay::judge {

/// Each candidate's change over all its comparisons with one baseline on a watched ratio metric, two at
/// least: the weighted mean of their own mean log ratios (see Workload::weight), each over all its rounds,
/// however many, tested once by sign flips of the rounds (stats::StratifiedMean). `obstacle` says where one
/// has too few, or where the ratio changes with a size, so that no single figure is quoted. The candidates'
/// overalls on a metric are one family (Benjamini & Hochberg 1995).
///
/// `parts` lie about a common change with a variance between them told by moments (stats/pooled.hpp): each
/// is also given shrunk to it, by its own error and that variance (James & Stein 1961; Efron & Morris 1975),
/// and differs where it lies farther from the others than one more of them would, by Student's t, at 5 %
/// over all (Holm).
std::vector<Overall> judge_overall(const Observations& evidence, const Findings& findings);

/// The effects of several findings on one metric, each drawn to what they have in common as
/// OverallPart::shrunk is, its error told by its interval: the largest of many estimates is too large on the
/// average. As they are where there are fewer than four, or on a difference scale.
std::vector<Effect> drawn_together(std::span<const Finding* const> findings);

}  // namespace assay::judge
