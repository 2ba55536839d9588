#pragma once

#include <iosfwd>

#include <cstddef>
#include <optional>
#include <string>
#include <variant>
#include <vector>

#include "assay/model/design.hpp"
#include "assay/model/effect.hpp"
#include "assay/model/setting.hpp"

namespace assay::model {

/// differs: values that were not measured side by side differ; which side did it is unknown.
enum class Verdict { better, worse, same, unclear, differs };
/// Its name: "better".
std::ostream& operator<<(std::ostream& out, Verdict verdict);

struct WholeCampaign {
  bool operator==(const WholeCampaign&) const = default;
};
struct ThisMachine {
  bool operator==(const ThisMachine&) const = default;
};

/// What a note or a reason is about.
using Subject = std::variant<WholeCampaign, ThisMachine, CandidateId, CellId, WorkloadId, MetricId>;

enum class NoteKind {
  // Before anything is measured.
  same_commit,          ///< a candidate is the commit that its baseline is
  same_commit_program,  ///< two commits give one program, byte for byte
  same_program,         ///< two paths hold one program, byte for byte
  same_command,         ///< a candidate is its baseline, with the same arguments
  other_compiler,       ///< `quoted` and `quoted_other` name them
  other_optimisation,   ///< likewise
  other_options,        ///< `quoted`: options of its own; `quoted_other`: those that only its baseline has
  same_identity,  ///< candidates (`also_candidates`) say that they are what their baseline says it is (`quoted`)
  weak_check,     ///< `quoted`: why a workload's check proves little
  // What trials show.
  output_differs,        ///< from the baseline's; `quoted`: where
  orphan_processes,      ///< running, `value` of them in `count` trials
  intermittent_failure,  ///< `figure` of `count` trials
  intermittent_timeout,  ///< `figure` of `count` trials ran into their time limit
  aa_difference,         ///< a copy of the baseline has a verdict, `effect`, and had one in fresh rounds too
  aa_chance,       ///< the same, but not in `count` fresh rounds, which gave `figure`, from `low` to `high`
  aa_unconfirmed,  ///< the same, with too few rounds after that to tell whether it was chance
  too_few_rounds,  ///< `figure` of at least `threshold`
  not_positive,    ///< values that a ratio can't be made of
  too_coarse,      ///< for how coarsely the kernel samples it
  not_exact,       ///< a metric that was declared exact varied
  at_saturation,   ///< this side's or both sides' values lie at the metric's declared ceiling, `threshold`
  beyond_saturation,  ///< values up to `figure` lie beyond it: it is declared wrongly
  drifts_in_trial,  ///< the first values of its trials, `low` typically, differ from the later ones, `high`,
                    ///< by a share of `value`; `quoted` is the lead_in that would leave those out
  unpaired,         ///< values without rounds
  layout_alone,     ///< `figure`, a change between two builds, is within what the layout of code can do
  /// Layout alone moves a program by a share of `value` from build to build, of `count` layouts; one build
  /// of
  /// each would show a change of `threshold` by chance, and the one that was called is `low`.
  layout_spread,
  layout_spread_at_most,  ///< the same, with noise in it: at most
  layouts_repeat,         ///< `count` layouts in `figure` rounds: their means were judged
  layout_kept,            ///< a program could not be linked anew: `quoted`
  layouts_shuffled,       ///< its layouts are drawn for each program by itself
  analysis_failed,        ///< `quoted`: what, and why
  test_disagreement,      ///< Brunner–Munzel's test says otherwise, with p = `figure`
  // What the values show, by metric. `count`: cells that show it, of which the subject does most.
  drift,            ///< by `figure` from the first rounds to the last
  multimodal,       ///< values gather around more than one
  outliers,         ///< a share of `value` lies far out
  autocorrelation,  ///< effects of neighbouring rounds are correlated by `figure`
  position_effect,  ///< differs by `figure` from what runs later
  first_run,        ///< likewise, from later runs
  short_trials,     ///< `figure` seconds
  carry_over,       ///< what runs right after a cell differs by `figure` from what runs after others
  saturation,       ///< a share of `value` of the values of both sides lies at one upper end
  // What the machine did.
  stolen_time,  ///< a share of `value`, by its host
  busy,         ///< a share of `value` was used by others
  load,         ///< of `figure` on `threshold` cores
  frequency,    ///< varied by `figure`
  throttled,    ///< `figure` times
  on_battery,
  page_cache_not_dropped,  ///< a share of `value` of a file that was declared cold
  counters_shared,         ///< counters were off for a share of `value`
  concurrent_campaign,     ///< campaign
  unwaited_children,       ///< `figure` seconds of CPU time
  costly_output,           ///< a share of `value` of the wall time
  discarded_trials,        ///< `value` of them; `quoted`: why
  concurrency_bias,        ///< effect `figure` abreast; in turns from `low` to `high`
  // What driving servers shows. `count`: cells or rounds that show it, of which the subject does most.
  rate_not_sustained,  ///< it answered `figure` of `threshold` requests a second, in `count` of `high` rounds
  clients_idle,        ///< of the clients' time a share of `value` had a request under way
  driver_saturated,    ///< sending took a share of `value` of a core
  driver_beside,       ///< sending took `figure` times the CPU time of the server, on its cores
  sent_late,      ///< one in a hundred requests of an open loop went out `figure` seconds after it was due
  reopened,       ///< a share of `value` of the requests needed a new connection
  slow_connects,  ///< a connection took `figure` seconds: the server's queue of new ones is short
  connections_used_up,  ///< an open loop's, `value` of them, were all in use
  cpu_while_idle,       ///< the server used a share of `value` of a core while it was not asked
  changes_under_load,   ///< its rate changed by `figure` towards the end of its load
  stalls,               ///< they cost a share of `value` of its requests a second
  servers_reused,       ///< servers were kept up: what differs from start to start is not averaged out
};

/// Something that weakens a finding or should be known, with the figure it rests on. Worded by report/.
struct Note {
  enum class Level { note, warning };

  NoteKind kind = NoteKind::same_commit;
  Subject subject;
  Level level = Level::note;
  std::optional<MetricId> metric;
  std::optional<double> value, threshold;
  double low = 0, high = 0;
  std::size_t count = 1;
  std::optional<Effect> effect;  ///< of a twin that was called
  Verdict verdict = Verdict::unclear;
  std::vector<CandidateId> also_candidates;  ///< further candidates of whom it is true
  std::string quoted, quoted_other;  ///< what is not Assay's own: a program's words, a compiler's options
};

/// A closed interval for an effect. An end may be infinite.
struct Interval {
  double low = 0, high = 0;
  double level = 0.95;  ///< the chance, before the data are seen, that it covers the effect
  bool contains(double x) const { return low <= x && x <= high; }
};

/// What it would take to settle an unclear finding.
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
  std::size_t decided_at_round = 0;  ///< complete pairs then; 0 of what is not settled by rounds
  int looks = 0;                     ///< looks that were taken at it until it was settled
  std::string method;
  /// Of an unclear finding: the metric that measures the same work and has been settled, so that this one
  /// needs no verdict of its own. Wall and CPU time of programs that keep to one core.
  std::optional<MetricId> superseded_by;
  std::optional<RoundsToDecide> rounds_to_decide;  ///< of unclear findings
  std::vector<Note> notes;
};

/// A finding measured again with fresh data.
struct Confirmation {
  std::string candidate, baseline, cell, metric;  ///< names; cell: "orders, locks=200"
  Verdict before = Verdict::unclear, now = Verdict::unclear;
  Effect effect_before, effect_now;
  std::string unit;  ///< of differences
  /// confirmed: the same verdict, not unclear. refuted: another one. unclear: it is not known now. settled:
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
  Interval interval;  ///< by drawing whole rounds
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

/// A cell's own value held against a requirement.
struct RequirementFinding {
  CellId cell;
  MetricId metric;
  /// met: the whole interval of the median fulfils it. broken: none of it does. undecided: anything else.
  enum class Status { met, violated, undecided };
  Status status = Status::undecided;
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
