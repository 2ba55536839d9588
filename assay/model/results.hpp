#pragma once

#include <cstddef>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "assay/model/aggregates.hpp"
#include "assay/model/design.hpp"
#include "assay/model/finding.hpp"
#include "assay/model/log.hpp"
#include "assay/model/metric.hpp"
#include "assay/model/where.hpp"

namespace assay::model {

enum class GateStatus { passed, failed, undecided };

/// One thing that a gate asks for, and how it came out. Worded by report/.
struct GateReason {
  enum class Kind {
    wrong,          ///< a cell's answer; `quoted`: how
    failed,         ///< a cell; `quoted`: how
    change,         ///< of a metric, compared with what is allowed
    requirement,    ///< on a cell's own value
    no_finding,     ///< too few rounds to judge a cell
    cut_off,        ///< the campaign did not come to its end
    nothing_to_do,  ///< nothing was compared
  };
  Kind kind = Kind::change;
  GateStatus status = GateStatus::passed;
  Subject subject;
  std::optional<MetricId> metric;
  Effect effect, limit;  ///< the change seen, and the largest that is allowed
  Interval interval;
  double typical = 0;                                                           ///< of a requirement
  RequirementFinding::Status required = RequirementFinding::Status::undecided;  ///< likewise
  std::string detail;
};

struct GateResult {
  GateStatus status = GateStatus::passed;  ///< failed when anything failed, else undecided when anything is
  bool passes = true;                      ///< with what the gate makes of undecided
  std::vector<GateReason> reasons;         ///< failed first, then undecided, then passed
  bool unpaired = false;  ///< nothing ran side by side, so what changed besides the candidates counts as well
};

/// What a program's time goes into: one core, several, or waiting for other things than a core.
enum class ProgramKind { one_core, many_cores, waits };

/// What kind of program a cell is, by its first trials.
struct ProgramTraits {
  /// (CPU time + what it waited for a core + what the host took) / wall time, the upper quartile of its trials.
  double busy = 1;
  double cores = 1;        ///< CPU time / wall time, typical
  double core_wait = 0;    ///< of wall time, that it waited for a core, typical
  double wall = 0;         ///< seconds, of the quickest trial
  double peak_memory = 0;  ///< bytes, of the largest trial

  /// It waits where it is busy for less than 0.97 of the time, and keeps to one core up to 1.03 of them.
  ProgramKind kind() const {
    constexpr double nearly_busy = 0.97, more_than_one = 1.03;
    if (busy < nearly_busy) return ProgramKind::waits;
    return cores > more_than_one ? ProgramKind::many_cores : ProgramKind::one_core;
  }
};

/// What a campaign found: the values that are shown, whatever the form.
struct Findings {
  Design design;  ///< of the campaign that was judged
  CampaignState state = CampaignState::open;
  IdTable<CellId, CellStatus> statuses;  ///< how each cell stands
  bool provisional = false;              ///< more rounds were meant to come
  bool is_filtered = false;              ///< some findings were taken out, and candidates may have none left
  std::size_t rounds = 0;                ///< complete rounds after the warm-up
  std::vector<WayChoice> ways;           ///< how programs were run, where the campaign chose
  std::map<CellId, ProgramTraits> programs;  ///< of cells whose times were measured
  std::map<CellId, double> wall_in_turns;    ///< seconds, typical, of cells that were run another way
  double measured_seconds = 0;
  std::vector<Finding> findings;
  std::vector<RequirementFinding> requirements;
  std::vector<ScalingCurve> scaling;
  std::vector<Overall> overall;
  std::vector<Ranking> rankings;
  std::vector<VerdictReversal> reversals;
  std::vector<FailureFinding> failures;     ///< of comparisons in which a trial failed
  std::vector<SpreadFinding> spreads;       ///< that were called
  std::vector<Confirmation> confirmations;  ///< of a campaign that measures another's findings again
  std::vector<ProfileLine> profile;         ///< without twins; by comparison, then metric
  std::vector<WithinTrialSpread> within_trials;
  std::vector<PooledLatency> latencies;  ///< of services; by comparison, then quantile
  std::vector<Where> where;  ///< where times have changed, of comparisons whose programs were sampled
  std::vector<std::string> where_remarks;  ///< what limits that, in words
  std::vector<Note> notes;

  const Cell& baseline_cell(const Finding& f) const { return design.cells[f.comparison.baseline]; }
  const Cell& candidate_cell(const Finding& f) const { return design.cells[f.comparison.candidate]; }
  const Metric& metric_of(const Finding& f) const { return design.metrics[f.metric]; }
  const Candidate& candidate(const Cell& cell) const { return design.candidates[cell.candidate]; }
  const Workload& workload(const Cell& cell) const { return design.workloads[cell.workload]; }
};

/// A figure estimated from a few rounds, with an interval that covers it four times in five.
struct Range {
  double typical = 0, low = 0, high = 0;
};

/// What can be expected of one finding. From how much its effects vary, never from which way they point.
struct ComparisonForecast {
  Comparison comparison;
  MetricId metric;
  double margin = 0;
  /// The smallest relative change that is called with a chance of 80 % in the rounds there are; empty: none
  /// is.
  std::optional<Range> change;
  std::optional<Range>
      rounds_to_same;  ///< that "same" takes when nothing changed; empty: it did not vary at all
  /// The smallest margin within which the rounds there are say "same" four times in five, when nothing
  /// changed.
  std::optional<Range> margin_to_call_same;
};

/// What can be expected of a campaign.
struct Forecast {
  std::size_t cells = 0, twins = 0;            ///< cells that run; those of them that are twins'
  std::size_t comparisons = 0;                 ///< without the twins'
  double round_seconds = 0, twin_seconds = 0;  ///< one round, and the twins' part of it
  int rounds_min = 0, rounds_max = 0;          ///< planned; rounds_max 0: as many as there is time for
  int rounds = 0;                              ///< that there is time for, at most rounds_max
  int first_look = 0;                          ///< rounds without which there is no first verdict; 0: unknown
  std::optional<double> budget;                ///< seconds
  bool continues = false;                      ///< to the first look, where the budget ends before

  /// Whether the budget ends it before anything can be decided.
  bool impossible_reason() const { return budget && round_seconds > 0 && rounds < first_look; }
  std::vector<ComparisonForecast> forecasts;  ///< on watched metrics, without twins; empty before any round
};

/// How unsteady one length of work was: the spread (standard deviation, robust) of log ratios of neighbours
/// that do the same, and the smallest change that a duel of one minute decides.
struct NoiseLevel {
  double seconds = 0;
  bool process = false;
  std::optional<double> in_turns, abreast;
  std::optional<double> rounds_in_turns, rounds_abreast;  ///< relative change
};

/// What a machine is like to measure on.
struct Conditions {
  std::vector<MachineFact> facts;
  double launch_cost = 0, clock_resolution = 0, clock_overhead = 0;  ///< seconds
  std::optional<double> steal, other_load;                           ///< shares of its CPU time
  std::optional<double> load;
  std::optional<bool> on_battery;
  std::vector<NoiseLevel> noise;
  std::vector<MachineFact> unavailable;  ///< metrics that can't be had here, and why
};

}  // namespace assay::model
