#pragma once

#include <span>

#include "assay/model/finding.hpp"
#include "assay/model/metric.hpp"
#include "assay/model/repeats.hpp"

namespace assay::judge {

/// What is asked of a pair of samples.
struct PairedTestOptions {
  Metric metric;
  /// The smallest change that matters: relative on a ratio scale (0.01 is a ratio outside [1/1.01, 1.01]), in
  /// the metric's unit on a difference scale.
  double margin = 0.01;
  double level = 0.95;  ///< of the interval; 1 − level is the chance of calling no change a change
  /// Slow runs are not clipped: some ran into their time limit, and to hang now and then is no noise.
  bool no_clipping = false;
  /// What slow runs and the mean do is told, and counts for the verdict.
  bool rest = true;
  /// Each value is that of one run, or of a round's slowest requests, so that `same` waits until slow runs in
  /// more than a tenth of them are ruled out; else it is of thousands of calls or requests, which have
  /// metrics of their own for slow ones.
  bool single_runs = true;
  /// Values of each side in a round, where they are more than one: see stats/blocked_ranks.hpp.
  Replication replication;
};

/// Judges values paired by round: baseline[r] and candidate[r] are from the same round, in the order of the
/// rounds.
///
/// By the clipped signed-rank test (stats/clipped.hpp) of their logarithms, or of the values on a difference
/// scale: where noise makes some trials slower, the effect and interval are those of the fast runs, and
/// `typical` has those of all; else they are of all, the Hodges-Lehmann estimate with the interval of Walsh
/// averages. Then
///
/// - `same`: the whole interval lies inside the margin, and where it is that of the fast runs, the interval
/// of all runs
///   inside five margins,
/// - `worse` / `better`: the interval excludes no change, the estimate lies beyond the margin, and the slow
/// runs don't
///   say the opposite,
/// - `unclear`: anything else; `rounds_to_decide` then says how many rounds it would likely take, or why none would.
///
/// `slow` and `mean` tell what the rest of the runs do (PairedTestOptions::rest): `same` is not said while, at 2.5 %
/// each, slow runs differ or the mean does by more than the margin, nor, of single runs, where slow runs in
/// a tenth more of 28 rounds or more are not ruled out; `better` and `worse` not where they say the
/// opposite.
///
/// With repeats (PairedTestOptions::repeats) a side has as many values of each round, one round's after the other's.
/// All runs are judged alike then: from six rounds on the medians of the rounds; with fewer a change of at
/// least a quarter is called where the blocked rank test (stats/blocked_ranks.hpp), which takes both sides
/// to be equally noisy, and Student's t of the medians' differences, which takes them to be normal, both
/// call it.
///
/// With the order drawn at random within rounds the test is exact under every constant effect, whatever the
/// noise. Ids in the result are left at zero. Swapping the two sides swaps the verdicts.
///
///   auto f = judge_paired(before, after, {.metric = {"wall time", "s"}, .margin = 0.01});
///   f.verdict == Verdict::better;  f.effect.value == 0.93;
///
/// Throws DomainError for unequal lengths, no values, values that are not finite, values that are not above
/// zero on a ratio scale, and a level or margin out of range. Cost: some hundred counts of O(n log n); beyond
/// 1 000 rounds O(n log n), as all runs are judged alike there.
///
/// Source: see stats/clipped.hpp; Hodges & Lehmann 1963; Wilcoxon 1945.
Finding judge_paired(std::span<const double> baseline, std::span<const double> candidate,
                     const PairedTestOptions& question);

}  // namespace assay::judge
