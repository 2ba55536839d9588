#pragma once

#include <cstddef>
#include <optional>
#include <string>
#include <vector>

#include "assay/model/design.hpp"
#include "assay/model/finding.hpp"
#include "assay/model/metric.hpp"
#include "assay/model/setting.hpp"

namespace assay::model {

/// A finding measured again with fresh data.
struct Confirmation {
  std::string candidate, baseline, cell, metric;  ///< names; cell: "orders, locks=200"
  Verdict before = Verdict::unclear, now = Verdict::unclear;
  Effect effect_before, effect_now;
  std::string unit;  ///< of differences
  /// confirmed: the same verdict, not unclear. refuted: another one. unclear: it is not known now. decided:
  /// it was unclear, and is known now.
  enum class Status { confirmed, refuted, unclear, decided };
  Status status = Status::unclear;
};

/// A comparison on any metric of the work, judged or not: what explains a change is read from all together.
struct ProfileLine {
  Comparison comparison;
  MetricId metric;
  double baseline = 0, candidate = 0;  ///< medians
  Effect effect;                       ///< of its finding where it has one, else the median over the rounds
  bool is_significant = false;         ///< the change is shown to be one, beyond the margin
};

/// How values spread within a trial of a cell, of a metric that each trial has many of: medians over trials
/// of the quantiles at 5 and 95 %, without the lead-in that is left out.
struct WithinTrialSpread {
  CellId cell;
  MetricId metric;
  double low = 0, high = 0;
};

/// A quantile of all requests of a service's judged rounds together, failed ones being the slowest.
struct PooledLatency {
  Comparison comparison;
  double quantile = 0;
  double baseline = 0, candidate = 0;  ///< seconds
  Effect effect;
  Interval interval;  ///< by drawing complete rounds
};

/// A comparison beside the common change of its candidate.
struct OverallPart {
  Comparison comparison;
  Effect raw;            ///< the geometric mean of its rounds' ratios
  Effect shrunk;         ///< drawn to the common change as far as its own error and the spread of all suggest
  bool differs = false;  ///< from the common change of the others, at 5 % over all parts
};

/// A candidate's change over all workloads and settings together: the weighted mean of the comparisons' own
/// mean log ratios, each over all its rounds.
struct Overall {
  CandidateId candidate;
  MetricId metric;
  std::size_t cells = 0;  ///< comparisons that are in it; those of a workload share its weight evenly
  Finding finding;        ///< effect, interval, p and verdict; its comparison is that of the first cell
  bool agree = true;      ///< no two of the cells are called better and worse
  /// Why no figure is quoted.
  enum class Obstacle { none, too_few_rounds, changes_with_size };
  Obstacle obstacle = Obstacle::none;
  std::size_t rounds = 0;  ///< of the comparison with the fewest
  std::string factor;      ///< the size with which its ratio to the baseline changes
  /// Standard deviation of the comparisons' true changes, of logarithms, and the chance of seeing them as
  /// unlike as this if there were none.
  double between = 0, p_homogeneous = 1;
  std::vector<OverallPart> parts;
};

/// The candidates of a workload and setting, the baseline among them, in the order of their estimates on a
/// metric, the best first.
struct Ranking {
  /// How a candidate compares with the one before it. That neighbours are not distinguished says nothing of
  /// others: of three, the first may be unlike the third.
  enum class Step { unclear, apart, same };
  struct Place {
    CandidateId candidate;
    Step step = Step::unclear;  ///< from the one before; of the first: unclear
  };
  WorkloadId workload;
  Setting setting;
  MetricId metric;
  std::vector<Place> places;
  std::vector<CandidateId> unplaced;  ///< known too roughly to have a place
};

/// Where along a factor a candidate turns from one verdict to the opposite.
struct VerdictReversal {
  CandidateId candidate;
  WorkloadId workload;
  MetricId metric;
  std::string factor;
  Setting others;                 ///< the levels of the other factors
  Level last_level, first_level;  ///< the last level with `before`, the first with `after`
  Verdict verdict_before = Verdict::unclear, verdict_after = Verdict::unclear;
};

/// How often the trials of two cells failed.
struct FailureFinding {
  Comparison comparison;
  std::size_t baseline_failed = 0, baseline_trials = 0, candidate_failed = 0, candidate_trials = 0;
  double p = 1, p_adjusted = 1;  ///< Fisher's exact test of equal rates
  Verdict verdict = Verdict::unclear;
};

/// Whether a candidate varies more, or less, from round to round than its baseline.
struct SpreadFinding {
  Comparison comparison;
  MetricId metric;
  std::size_t rounds = 0;
  double ratio = 1;  ///< of the median absolute deviations, candidate / baseline
  double p = 1, p_adjusted = 1;
  Verdict verdict = Verdict::unclear;  ///< better: it varies less
};

/// A cell's own value compared with a requirement.
struct RequirementFinding {
  CellId cell;
  MetricId metric;
  /// met: the whole interval of the median fulfils it. broken: none of it does. undecided: anything else.
  enum class Status { met, violated, undecided };
  Status status = Status::undecided;
  /// Of several machines, each of which has to meet it: the worst one's number, whose values these are.
  int machine = 0;
  std::size_t rounds = 0;
  double typical = 0;   ///< median
  Interval interval;    ///< of the median, in the metric's unit
  double headroom = 0;  ///< how far the median is from the limit, as a share of the limit; below 0: beyond it
};

/// How a candidate's cost, or throughput, goes with a factor of sizes or threads, other levels being equal.
struct ScalingCurve {
  CandidateId candidate;
  WorkloadId workload;
  MetricId metric;
  std::string factor;
  Setting others;                   ///< the levels of the other factors
  std::vector<double> at, typical;  ///< levels, growing, and the medians there
  // Over sizes: cost = factor · size^exponent, the law that describes it best where it is known, and where
  // it crosses the baseline's.
  std::optional<double> exponent;
  Interval exponent_interval;
  std::string law;                 ///< "n log n"; empty: can't tell
  std::optional<double> crossing;  ///< size
  Interval crossing_interval;
  // Over threads: throughput, as a multiple of that at the first level, by the universal scalability law.
  std::vector<double> throughput;
  std::optional<double> contention, coherency;
  std::optional<double> knee;     ///< threads beyond which more help less
  std::optional<double> plateau;  ///< threads beyond which none measured does better by more than the margin
};

}  // namespace assay::model
