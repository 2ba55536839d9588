#pragma once

#include <cstddef>
#include <limits>
#include <optional>
#include <span>
#include <vector>

#include "assay/judge/paired_test.hpp"
#include "assay/model/finding.hpp"
#include "assay/model/observations.hpp"

namespace assay::judge {

/// The pairs of one comparison on one metric, in order of their rounds. With repeats a side has as many
/// values of each round, one round's after the other's.
struct PairedSeries {
  Comparison comparison;
  std::vector<int> rounds;  ///< numbers, growing
  std::vector<double> baseline, candidate;
  Replication replication;
  /// The first pairs, up to the first of which a trial ran into its time limit: from there on all runs count
  /// alike (PairedTestOptions::no_clipping).
  std::size_t in_time = std::numeric_limits<std::size_t>::max();
  /// The number of the machine that ran each round, from 0; empty where one ran all.
  std::vector<int> machines;
  int main_machine = 0;  ///< whose level the values of others are brought to
};

/// All findings on one metric, which share one error rate.
struct TestFamily {
  PairedTestOptions options;  ///< its level is 1 − error rate
  /// The part of the error rate that calls of a change on this metric have; the rest is others'.
  double share = 1;
  int min_rounds = 8;
  int max_rounds = 60;
  /// Whether it is worked out what would decide the open ones: see rounds_needed().
  bool priced = false;

  /// Whether slow runs and the mean have a say, and a part of the error rate: of ratios that have a better
  /// side.
  bool tells_rest() const {
    return options.rest && options.metric.scale == Scale::ratio &&
           options.metric.direction != Direction::neither;
  }
  /// The error rate of calls of a change of typical runs.
  double rate_of_changes() const;
};

/// How a campaign stands. ended: undecided findings get a closing look at their last round (see
/// schedule::FinalLook), after which more data would void the error rate. going: it may go on, so nothing
/// is looked at but what was planned; findings that are not decided are unclear.
enum class Stage { running, ended };

/// Judges a family of findings with looks at growing data, replaying the rounds from the first, so that the
/// same trials give the same decisions whenever they are judged.
///
/// Contrasts with repeats are judged by the blocked rank test (stats/van_elteren.hpp), with looks from two
/// rounds on (schedule::planned_looks()).
///
/// At each round where a finding's own pairs reach a planned look, its p-values over all looks are renewed
/// (schedule::StoppingBoundary): p of no change, counted as 1 while the estimate lies inside the margin, and
/// p of an effect at or beyond the margin. Of several looks the smallest counts. The two kinds are two
/// families; in each, what the procedure selects is decided, and its verdict frozen. Selections only grow, so
/// no later look takes one back. What is measured on for other reasons gets the interval of a later look, as
/// all looks' hold together, unless that would leave the verdict without ground.
///
/// The rest of the runs (PairedTestOptions::rest) has a say. Slow runs and the mean each have a tenth of the
/// error rate, of which a look has the part that StoppingBoundary::share_of() names, and typical runs eight
/// tenths. A change is not called while slow runs or the mean say the opposite, by tests that are made again
/// at each look: at 25 % as long as more rounds are to come, at 2.5 % each at the last. there is no `same`
/// while slow runs or the mean are shown to differ, at 2.5 % each, nor, before the last look, until slow runs
/// in a tenth more of the rounds, or fewer, are ruled out. Withholding a verdict raises no error rate. What
/// is decided becomes unclear again where later rounds show the opposite.
///
/// Intervals are those of the same test at level 1 − R·q/M for R selected of M, so that the expected share of
/// intervals that miss, among those selected, is at most q; for unselected ones R is the smaller of the two
/// families' numbers, at least 1. Findings on a shared baseline are not independent: that the rates hold for
/// them rests on simulation.
///
/// In the order given; a series without pairs gives a finding with rounds = 0. Throws DomainError as
/// judge_paired does. Cost: some hundred counts of O(n log n) a look.
///
/// Source: Benjamini & Hochberg 1995; Benjamini & Yekutieli 2005; Jennison & Turnbull 2000.
std::vector<Finding> decide_family(std::span<const PairedSeries> series, const TestFamily& family,
                                   Stage stage);

/// Compares an exact metric directly: each cell's one value against its baseline's, with margin 0. Values
/// come from builds and from judged trials alike. Empty when a cell's values differ among themselves, so
/// that the metric is not exact after all and has to be judged as a noisy one.
///
/// Values of trials are decided when there are as many as the least number of rounds, those of builds at
/// once. Equal is `same`, anything else `better` or `worse`; the interval is the effect itself. Contrasts
/// with a value on one side only, or with one side zero, have rounds = 0.
std::optional<std::vector<Finding>> compare_exactly(const Observations& evidence, MetricId metric,
                                                    bool twins);

}  // namespace assay::judge
