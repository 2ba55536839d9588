#pragma once

#include <cstddef>
#include <optional>
#include <string>
#include <vector>

#include "assay/model/aggregates.hpp"
#include "assay/model/design.hpp"
#include "assay/model/effect.hpp"
#include "assay/model/finding.hpp"
#include "assay/model/log.hpp"

namespace assay::model {

enum class GateStatus { passed, failed, undecided };

/// One thing that a gate asks for, and how it came out. Worded by report/.
struct GateReason {
  enum class Kind {
    wrong,          ///< a cell's answer; `quoted`: how
    failed,         ///< a cell; `quoted`: how
    change,         ///< of a metric, held against what is allowed
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

/// What a campaign found: the values that are shown, whatever the form.
struct Findings {
  Design design;  ///< of the campaign that was judged
  CampaignState state = CampaignState::open;
  IdTable<CellId, CellStatus> statuses;  ///< how each cell stands
  bool provisional = false;              ///< more rounds were meant to come
  bool is_filtered = false;              ///< some findings were taken out, and candidates may have none left
  std::size_t rounds = 0;                ///< complete rounds after the warm-up
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
  std::vector<Note> notes;

  const Cell& baseline_cell(const Finding& f) const { return design.cells[f.comparison.baseline]; }
  const Cell& candidate_cell(const Finding& f) const { return design.cells[f.comparison.candidate]; }
  const Metric& metric_of(const Finding& f) const { return design.metrics[f.metric]; }
  const Candidate& candidate(const Cell& cell) const { return design.candidates[cell.candidate]; }
  const Workload& workload(const Cell& cell) const { return design.workloads[cell.workload]; }
};

}  // namespace assay::model
