#pragma once

#include <vector>

#include "assay/model/campaign.hpp"

namespace assay::judge {

// Judgement over many findings. All of these look at planned round counts only, with the boundary of the
// campaign's looks, so that they hold wherever a campaign stopped; what ended between looks waits for more
// rounds. Campaigns without planned looks (imported rounds) are looked at once.

/// Each candidate's change over all its comparisons with one baseline on a watched ratio metric, two at
/// least: in every round that all of them have a pair of, the weighted mean of their log ratios (see
/// Workload::weight), judged as one paired finding by the signed-rank test. Comparisons that were settled
/// early have fewer rounds, and then so has this; `why` says where that leaves too few, or where the ratio
/// changes with a size, so that no single figure is quoted. The candidates' overalls on a metric are one
/// family. Source: as settle().
std::vector<Overall> judge_overall(const Record& record, const Findings& findings);

/// The groups of sound candidates that can't be told apart, where there are three or more, by workload,
/// setting and watched metric: all pairs are tested by rounds (signed-rank), Holm-adjusted among each other,
/// and those that a finding calls better or worse, or two findings on opposite sides of one
/// baseline, are told apart besides; a group is a largest set in which
/// no pair was. Only where some pair was and some pair was not. Where groups would outnumber the candidates,
/// they say nothing, and are left out. Source: Holm 1979; Bron & Kerbosch 1973, Tomita et al. 2006 (largest
/// sets).
std::vector<Group> find_groups(const Record& record, const Findings& findings);

/// Where a candidate's verdict turns to the opposite along a factor with three levels or two, other levels
/// equal. Levels that are called neither better nor worse don't count; there must be one turn only.
std::vector<Turn> find_turns(const Record& record, const Findings& findings);

/// Fisher's exact test of the failure rates of the contrasts in which a counted trial failed;
/// Benjamini–Hochberg among them at 5 %. Cells that left the campaign are not asked. Source: Fisher 1935.
std::vector<FailureFinding> judge_failures(const Record& record);

/// Changes of spread on watched metrics: the absolute deviations of each cell's (log) values from their own
/// median, paired by round, by the signed-rank test; called when the adjusted p (Benjamini–Hochberg) is at
/// most 5 % and the ratio of the median deviations at least 1.5 either way. Deviations from an estimated
/// centre make the test approximate; simulation finds it call no change at most 5 % of the time from 10
/// rounds on. Source: Levene 1960; Brown & Forsythe 1974 (the unpaired form).
std::vector<SpreadFinding> judge_spreads(const Record& record);

}  // namespace assay::judge
