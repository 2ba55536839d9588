#pragma once

#include <span>
#include <vector>

#include "assay/model/finding.hpp"
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
/// `parts` lie about a common change with a variance between them estimated by moments
/// (stats/inverse_variance.hpp): each is also given shrunk to it, by its own error and that variance (James &
/// Stein 1961; Efron & Morris 1975), and differs where it lies farther from the others than one more of them
/// would, by Student's t, at 5 % over all (Holm).
std::vector<Overall> judge_overall(const Observations& evidence, const Findings& findings);

/// The effects of several findings on one metric, each drawn to what they have in common as
/// OverallPart::shrunk is, its error taken from its interval: the largest of many estimates is too large on
/// the average. As they are where there are fewer than four, or on a difference scale.
std::vector<Effect> drawn_together(std::span<const Finding* const> findings);

/// Typical values of both sides of every ok comparison but the twins', on every metric of the work that both
/// have values of, whether it is judged or not. A line takes its effect from the finding of its metric where
/// `findings` has one. Of metrics without a better side a change is significant that is above 5 % and that
/// the paired test at a level of 95 % calls (at least 6 rounds). Where both sides are 0 there is no line.
///
/// Cost: linear in the values, and a test for each such change.
std::vector<ProfileLine> make_profile(const Observations& evidence, const std::vector<Finding>& findings);

/// How watched metrics go with every factor of sizes (cost: the ratio-scaled ones where less is better) or of
/// threads (throughput, or its inverse: time per call of each thread in a contest, else time of a job that
/// they share), for each candidate, workload and choice of the other levels with at least three levels
/// measured. Twins are left out.
///
/// Over sizes: a power law through the medians with the exponent's interval, the law of growth where it is
/// clear (and its own exponent at these sizes lies within that interval), and the size at which the
/// candidate costs what its baseline does, when that lies within a factor of ten of the sizes measured. Over
/// threads: the universal scalability law, the knee (where each thread beyond gains less than half of what
/// each before did), and the plateau: the first level beyond which no level measured does more than the
/// margin better, by medians.
///
/// Source: see stats/fit.hpp.
std::vector<ScalingCurve> fit_scaling(const Observations& evidence);

/// The candidates of each workload and setting in the order of their estimates on each watched metric, where
/// three or more are ok. Exact metrics have no ranking.
///
/// - A candidate's estimate is its change against the baseline that all baselines lead to: the effects on the
///   way, multiplied. Without an interval, or with one that spans more than a factor of two, it is not placed.
/// - Neighbours are distinguished by a test of all pairs by rounds (signed-rank, Holm-adjusted among each
///   other),
///   by a finding that calls one against the other or both on opposite sides of one baseline, or by intervals
///   of those changes that don't touch. They are the same only where a finding says so.
///
/// Where no candidate differs, findings call something in at most 5 % of campaigns, and the test of all pairs
/// in another 5 %; so neighbours are apart in at most 10 %.
///
/// Looks at planned round counts only, with the boundary of the campaign's looks, so that it holds wherever a
/// campaign stopped. Cost: a test for each pair. Source: Holm 1979.
std::vector<Ranking> rank_candidates(const Observations& evidence, const Findings& findings);

}  // namespace assay::judge
