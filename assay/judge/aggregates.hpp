#pragma once

#include <span>
#include <vector>

#include "assay/model/observations.hpp"
#include "assay/model/results.hpp"

namespace assay::judge {

/// Where a candidate's verdict turns to the opposite along a factor with three levels or two, other levels
/// equal. Levels are taken in order of their size where they are numbers, else in the order in which they
/// were listed; those that are called neither better nor worse don't count; there must be one turn only.
std::vector<VerdictReversal> find_reversals(const Observations& evidence, const Findings& findings);

/// Changes of spread on watched metrics: the absolute deviations of each cell's (log) values from their own
/// median, paired by round, by the signed-rank test; called when the adjusted p (Benjamini–Hochberg) is at
/// most 5 % and the ratio of the median deviations at least 1.5 either way. Deviations from an estimated
/// centre make the test approximate; simulation finds it call no change at most 5 % of the time from 10
/// rounds on. Looks at planned round counts only. Source: Levene 1960; Brown & Forsythe 1974 (the unpaired
/// form).
std::vector<SpreadFinding> judge_variability(const Observations& evidence);

/// Fisher's exact test of the failure rates of the comparisons in which a judged trial failed;
/// Benjamini–Hochberg among them at 5 %. Cells that left the campaign are not asked. Source: Fisher 1935.
std::vector<FailureFinding> judge_failures(const Observations& evidence);

/// Each candidate's change over all its comparisons with one baseline on a watched ratio metric, two at
/// least: the weighted mean of their own mean log ratios (see Workload::weight), each over all its rounds,
/// however many, tested once by sign flips of the rounds (stats::StratifiedMean). `obstacle` says where one
/// has too few, or where the ratio changes with a size, so that no single figure is quoted. The candidates'
/// overalls on a metric are one family (Benjamini & Hochberg 1995).
///
/// `parts` lie about a common change with a variance between them estimated by moments (stats/inverse_variance.hpp): each
/// is also given shrunk to it, by its own error and that variance (James & Stein 1961; Efron & Morris 1975),
/// and differs where it lies farther from the others than one more of them would, by Student's t, at 5 %
/// over all (Holm).
std::vector<Overall> judge_overall(const Observations& evidence, const Findings& findings);

/// The effects of several findings on one metric, each drawn to what they have in common as
/// OverallPart::shrunk is, its error taken from its interval: the largest of many estimates is too large on the
/// average. As they are where there are fewer than four, or on a difference scale.
std::vector<Effect> drawn_together(std::span<const Finding* const> findings);

}  // namespace assay::judge
