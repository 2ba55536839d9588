#pragma once

#include <cstddef>
#include <optional>
#include <string>
#include <vector>

#include "assay/model/design.hpp"
#include "assay/model/metric.hpp"
#include "assay/model/note.hpp"

namespace assay::model {

/// A closed interval for an effect. An end may be infinite.
struct Interval {
  double low = 0, high = 0;
  double level = 0.95;  ///< the chance, before the data are seen, that it covers the effect
  bool contains(double x) const { return low <= x && x <= high; }
};

/// What it would take to decide an unclear finding.
struct RoundsToDecide {
  /// Why no number of rounds is given.
  enum class Obstacle {
    none,                  ///< `rounds` are given
    too_few_rounds,        ///< to tell how many are needed
    near_margin,           ///< not within any number worth running
    saturation_suspected,  ///< most values of both sides lie at one upper end: something may limit them
    saturation,            ///< both sides are at the metric's declared ceiling
    fast_and_slow,         ///< most runs changed one way, slow ones or the mean the other
    slow_runs,             ///< most runs are alike, but slow ones or the mean are not, or may not be
    machines_disagree,     ///< machines show changes that no one verdict holds for
  };
  int rounds = 0;      ///< in all, not on top
  double seconds = 0;  ///< of measuring it all again; 0 when unknown
  /// Both programs keep to one core and ran in turns: run abreast, by CPU time, they compare more exactly.
  bool suits_abreast = false;
  Obstacle obstacle = Obstacle::none;
};

/// Half of an interval's width on the scale that tests work on.
inline double half_width(Scale scale, const Interval& interval) {
  const auto at = [scale](double x) { return Effect{scale, x}.transformed(); };
  return (at(interval.high) - at(interval.low)) / 2;
}

/// How many runs were slow: beyond 1.5 times what the slower run of a round typically takes, a limit that
/// both sides have in common. (Of a metric of which more is better: below that over 1.5.)
struct SlowRuns {
  double limit = 0;                                   ///< in the metric's unit
  std::size_t baseline = 0, candidate = 0;            ///< of each side
  std::size_t only_baseline = 0, only_candidate = 0;  ///< in a round in which the other side's was not
  double times = 0;  ///< how many times the typical value of the side that has more of them theirs is
  double p_more = 1, p_fewer = 1;  ///< of the candidate having as many, against more and against fewer; exact
  double left_open = 1;            ///< slow runs in up to this share could not have shown in so many rounds
  int shown = 0;  ///< 1 where the candidate has more of them, −1 fewer, at the error rate that verdicts share
};

/// How the mean changes, which is what many runs cost in all. (Of a metric of which more is better, the mean
/// of what one unit of it costs.)
struct MeanShift {
  Effect effect;
  Interval interval;              ///< of 95 %, by itself
  double p_more = 1, p_less = 1;  ///< one-sided, of no change
  double p_beyond = 1;            ///< of a change within the margin, the smaller of the two sides'
  int shown = 0;  ///< 1 where the mean is larger, −1 smaller, at the error rate that verdicts share
};

/// The values below which a share `at` of the runs of each side lie.
struct Decile {
  double at = 0, baseline = 0, candidate = 0;
};

/// What a typical run shows where `effect` is that of the fast ones.
struct AllRunsEstimate {
  Effect effect;
  Interval interval;
};

/// What a finding was concluded by.
enum class TestMethod {
  compared_directly,
  signed_rank,             ///< of paired rounds, with the interval of Walsh averages
  signed_rank_of_medians,  ///< of rounds with repeats
  clipped_signed_rank,     ///< of the fast runs
  blocked_ranks_and_t,     ///< of few rounds with repeats
  weighted_mean,           ///< over comparisons, by sign flips
  mann_whitney_exact,
  mann_whitney_approximate
};

/// What the rounds of one machine show.
struct MachineEffect {
  int machine = 1;  ///< its number in the campaign, from 1
  std::size_t rounds = 0;
  Effect effect;  ///< the Hodges–Lehmann estimate
  /// Of 95 %, by itself; empty where there are too few rounds for one.
  std::optional<Interval> interval;
  bool is_compared = false;  ///< with the other machines: it has enough rounds for that
};

/// A comparison judged on one metric.
///
/// `interval` is on the scale of `effect`: of ratios candidate / baseline, or of differences in the metric's
/// unit.
struct Finding {
  Comparison comparison;
  MetricId metric;
  Verdict verdict = Verdict::unclear;
  bool beyond_margin = false;                          ///< the whole interval lies beyond the margin
  std::size_t rounds = 0;                              ///< complete pairs judged
  Replication replication;                             ///< trials of each side in a round
  double baseline_typical = 0, candidate_typical = 0;  ///< medians
  Effect effect;
  Interval interval;
  /// Where `effect` and `interval` are those of the fast runs, since slow ones say little: of all. Empty:
  /// they are of all.
  std::optional<AllRunsEstimate> all_runs;
  /// What the rest of the runs do; empty where that is unknown: of differences, exact metrics, and rounds in
  /// which a side ran more than once.
  std::optional<SlowRuns> slow;
  std::optional<MeanShift> mean;
  std::vector<Decile> deciles;
  double margin = 0;
  double p = 1;                      ///< of no change
  double p_equivalence = 1;          ///< of an effect at or beyond the margin
  double p_adjusted = 1;             ///< p over all findings on the metric
  bool decided = false;              ///< decided at a planned look, its verdict frozen since
  std::size_t decided_at_round = 0;  ///< complete pairs then; 0 of what is not decided by rounds
  int looks = 0;                     ///< looks that were taken at it until it was decided
  std::optional<TestMethod> method;  ///< empty of what was not tested
  /// Of an unclear finding: the metric that measures the same work and has been decided, so that this one
  /// needs no verdict of its own. Wall and CPU time of programs that keep to one core.
  std::optional<MetricId> superseded_by;
  std::optional<RoundsToDecide> rounds_to_decide;  ///< of unclear findings
  /// Of rounds that several machines ran: what each shows. `effect` and the typical values are as on
  /// `main_machine` then.
  std::vector<MachineEffect> machines;
  int main_machine = 1;
  std::optional<double> machines_p;  ///< of one change on all; empty where they have too few rounds for it
  std::vector<Note> notes;

  /// Whether machines that ran its rounds show changes that no one verdict holds for.
  bool machines_disagree() const {
    return rounds_to_decide && rounds_to_decide->obstacle == RoundsToDecide::Obstacle::machines_disagree;
  }
};

}  // namespace assay::model
