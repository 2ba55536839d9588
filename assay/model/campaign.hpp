#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "assay/model/cell.hpp"
#include "assay/model/factor.hpp"
#include "assay/model/finding.hpp"
#include "assay/model/metric.hpp"
#include "assay/model/trial.hpp"

namespace assay::inline model {

struct Workload {
  std::string name;
  std::vector<std::string> run;  ///< as the plan gives it, placeholders unexpanded
  std::string doubt;             ///< why its check proves little; empty: it doesn't
  double weight = 1;             ///< in a candidate's overall change, shared by its settings; above 0
  bool operator==(const Workload&) const = default;
};

/// open: at work, or cut off without a word (kill, power). interrupted: by the user. ended: by its plan.
enum class CampaignState { open, interrupted, ended };
std::string to_string(CampaignState state);

/// What a campaign is, apart from what it measured.
struct CampaignInfo {
  std::string uid;  ///< 16 hexadecimal digits
  std::string title;
  std::string kind;   ///< "duel", "plan", …
  std::string label;  ///< a name its owner gave it; may be empty
  std::string plan;   ///< the plan, in the plan file's own language
  std::string plan_digest;
  std::uint64_t seed = 0;
  CampaignState state = CampaignState::open;
  std::int64_t started = 0;  ///< milliseconds since 1970
  double margin = 0.01;
  int rounds_min = 0, rounds_max = 0;  ///< judged rounds that were planned; 0: all there are, looked at once
  bool abreast = false;  ///< candidates ran at once on one core; some rounds in turns, as a control
  std::string repeat;    ///< the command that measures this again
  std::string folder;    ///< where relative paths of the plan start
  std::string again_of;  ///< uid of the campaign whose findings this one measures afresh
};

/// Everything a campaign has laid down: what the ledger keeps and what judging starts from.
struct Record {
  CampaignInfo info;
  std::vector<Candidate> candidates;
  std::vector<Workload> workloads;
  std::vector<Factor> factors;  ///< one read back from a ledger has no levels: the cells have them
  std::vector<Cell> cells;
  std::vector<Contrast> contrasts;
  std::vector<Metric> metrics;
  std::vector<Demand> demands;  ///< one per metric
  std::vector<Sitting> sittings;
  std::vector<Round> rounds;
  std::vector<Trial> trials;
};

/// What a campaign found: the values that are shown, whatever the form.
struct Findings {
  CampaignInfo campaign;
  bool provisional = false;  ///< more rounds were meant to come
  bool narrowed = false;     ///< some findings were taken out, and candidates may have none left
  std::size_t rounds = 0;    ///< whole rounds after the warm-up
  double measured_seconds = 0;
  std::vector<Candidate> candidates;
  std::vector<Workload> workloads;
  std::vector<Cell> cells;
  std::vector<Metric> metrics;
  std::vector<Demand> demands;  ///< one per metric
  std::vector<Finding> findings;
  std::vector<RequirementFinding> requirements;
  std::vector<Trend> trends;
  std::vector<Overall> overall;
  std::vector<Group> groups;
  std::vector<Turn> turns;
  std::vector<FailureFinding> failures;     ///< of contrasts in which a trial failed
  std::vector<SpreadFinding> spreads;       ///< that were called
  std::vector<Confirmation> confirmations;  ///< of a campaign that measures another's findings afresh
  std::vector<TrustNote> trust;

  const Cell& baseline_of(const Finding& f) const { return cells.at(f.of.baseline.place()); }
  const Cell& candidate_of(const Finding& f) const { return cells.at(f.of.candidate.place()); }
  const Metric& metric_of(const Finding& f) const { return metrics.at(f.metric.place()); }
  const Candidate& candidate(const Cell& cell) const { return candidates.at(cell.candidate.place()); }
  const Workload& workload(const Cell& cell) const { return workloads.at(cell.workload.place()); }
};

}  // namespace assay::inline model
