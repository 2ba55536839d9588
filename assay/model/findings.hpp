#pragma once

#include <cstddef>
#include <vector>

#include "assay/model/design.hpp"
#include "assay/model/finding.hpp"
#include "assay/model/log.hpp"

namespace assay::inline v1::inline model {

/// What a campaign found: the values that are shown, whatever the form.
struct Findings {
  Design design;  ///< of the campaign that was judged
  CampaignState state = CampaignState::open;
  Table<CellId, CellState> states;  ///< how each cell stands
  bool provisional = false;         ///< more rounds were meant to come
  bool narrowed = false;            ///< some findings were taken out, and candidates may have none left
  std::size_t rounds = 0;           ///< whole rounds after the warm-up
  double measured_seconds = 0;
  std::vector<Finding> findings;
  std::vector<RequirementFinding> requirements;
  std::vector<Trend> trends;
  std::vector<Overall> overall;
  std::vector<CandidateGroup> groups;
  std::vector<TurningPoint> turns;
  std::vector<FailureFinding> failures;     ///< of contrasts in which a trial failed
  std::vector<SpreadFinding> spreads;       ///< that were called
  std::vector<Confirmation> confirmations;  ///< of a campaign that measures another's findings afresh
  std::vector<ProfileLine> profile;         ///< without twins; by contrast, then metric
  std::vector<WithinTrial> within_trials;
  std::vector<PooledLatency> latencies;  ///< of services; by contrast, then quantile
  std::vector<Note> trust;

  const Cell& baseline_of(const Finding& f) const { return design.cells[f.of.baseline]; }
  const Cell& candidate_of(const Finding& f) const { return design.cells[f.of.candidate]; }
  const Metric& metric_of(const Finding& f) const { return design.metrics[f.metric]; }
  const Candidate& candidate(const Cell& cell) const { return design.candidates[cell.candidate]; }
  const Workload& workload(const Cell& cell) const { return design.workloads[cell.workload]; }
};

}  // namespace assay::inline v1::inline model
