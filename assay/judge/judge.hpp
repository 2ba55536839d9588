#pragma once

#include <cstddef>
#include <span>
#include <vector>

#include "assay/model/metric.hpp"
#include "assay/model/observations.hpp"
#include "assay/model/results.hpp"
#include "assay/model/setting.hpp"

namespace assay::judge {

/// Grows by one whenever the same record gets other findings: what ledgers keep of a history's campaigns is judged anew then.
inline constexpr int version = 1;

/// The findings on watched metrics of a campaign that goes on, in order of metric and comparison: which are
/// decided by the looks taken so far. Findings without enough pairs have rounds = 0.
std::vector<Finding> interim_findings(const Design& design, const Observations& evidence);

/// Judges every comparison on every metric that has a preferred direction, from the rounds in which both of
/// its cells have a value, with the looks that were planned (see decide_family()); a comparison with too few
/// such rounds gets no finding and a note instead. All findings on a metric are one family, twins another;
/// the supporting metrics divide one error rate among them. Exact metrics are compared directly.
///
/// The one way from what was measured to what is shown, for a campaign that has just ended and for one read
/// back from the ledger alike. Pure: no clock, no file.
Findings judge(const Design& design, const Observations& evidence);

/// The same from a whole record.
Findings judge_record(const Record& record);

/// Whether a cell is among those chosen.
bool matches(const Design& design, const Cell& cell, const CellFilter& only);

/// Takes what is not chosen out of findings that were judged together, the notes about it too: verdicts stay
/// those of the whole. Throws Error that names --only when nothing is left.
void filter_results(Findings& findings, const CellFilter& only);

/// Two campaigns as one record in which each candidate of `now` is compared with the one of that name in
/// `before`, in the cells that both have ok (what is wrong or fails now and was ok before keeps its
/// status), without rounds: nothing of them ran side by side, and judge_unpaired() says so. Metrics are
/// those that `now` watches and both measured. Throws Error when they have no cell in common.
Record combine_campaigns(const Record& before, const Record& now);

/// A finding that should be measured again before it is believed.
struct Surprise {
  enum class Reason {
    within_aa_noise,  ///< no larger than what a twin showed on that metric
    against_others,   ///< `opposite` of the candidate's `others` other changes point the other way
    against_earlier   ///< an earlier campaign came to the verdict `before`
  };
  std::size_t finding = 0;  ///< its place in the findings
  Reason reason = Reason::within_aa_noise;
  std::size_t others = 0, opposite = 0;
  Verdict before = Verdict::unclear;
};

/// The changes called on watched metrics that surprise: no larger than what a twin showed on that metric;
/// against the direction of at least two thirds of the candidate's other changes on it (of three or more);
/// another verdict than in an earlier campaign (`earlier`, or nullptr), where both have one.
std::vector<Surprise> find_surprises(const Findings& findings, const Findings* earlier);

/// What measuring again made of the findings: those on watched metrics that both campaigns have, matched by
/// the names of candidate, baseline, workload and metric, and the setting.
std::vector<Confirmation> compare_confirmation(const Findings& before, const Findings& now);

/// What is asked of a pair of samples.
struct PairedTestOptions {
  Metric metric;
  /// The smallest change that matters: relative on a ratio scale (0.01 is a ratio outside [1/1.01, 1.01]), in
  /// the metric's unit on a difference scale.
  double margin = 0.01;
  double level = 0.95;  ///< of the interval; 1 − level is the chance of calling no change a change
  /// Slow runs are not clipped: some ran into their time limit, and to hang now and then is no noise.
  bool no_clipping = false;
  /// Slow runs and the mean are reported and count for the verdict.
  bool rest = true;
  /// Each value is that of one run, or of a round's slowest requests, so that `same` waits until slow runs in
  /// more than a tenth of them are ruled out; else it is of thousands of calls or requests, which have
  /// metrics of their own for slow ones.
  bool single_runs = true;
  /// Values of each side in a round, where they are more than one: see stats/van_elteren.hpp.
  Replication replication;
};

/// Judges values paired by round: baseline[r] and candidate[r] are from the same round, in the order of the
/// rounds.
///
/// By the clipped signed-rank test (stats/clipped_signed_rank.hpp) of their logarithms, or of the values on a
/// difference scale: where noise makes some trials slower, the effect and interval are those of the fast
/// runs, and `typical` has those of all; else they are of all, the Hodges-Lehmann estimate with the interval
/// of Walsh averages. Then
///
/// - `same`: the whole interval lies inside the margin, and where it is that of the fast runs, the interval
///   of all runs inside five margins,
/// - `worse` / `better`: the interval excludes no change, the estimate lies beyond the margin, and the slow
///   runs don't say the opposite,
/// - `unclear`: anything else; `rounds_to_decide` then says how many rounds it would likely take, or why none
///   would.
///
/// `slow` and `mean` tell what the rest of the runs do (PairedTestOptions::rest): there is no `same` while,
/// at 2.5 % each, slow runs differ or the mean does by more than the margin, nor, of single runs, where slow
/// runs in a tenth more of 28 rounds or more are not ruled out; `better` and `worse` not where they say the
/// opposite.
///
/// With repeats (PairedTestOptions::repeats) a side has as many values of each round, one round's after the
/// other's. All runs are judged alike then: from six rounds on the medians of the rounds; with fewer a change
/// of at least a quarter is called where the blocked rank test (stats/van_elteren.hpp), which takes both
/// sides to be equally noisy, and Student's t of the medians' differences, which takes them to be normal,
/// both call it.
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
/// Source: see stats/clipped_signed_rank.hpp; Hodges & Lehmann 1963; Wilcoxon 1945.
Finding judge_paired(std::span<const double> baseline, std::span<const double> candidate,
                     const PairedTestOptions& question);

}  // namespace assay::judge
