#include "assay/campaign/life.hpp"

#include <algorithm>
#include <map>
#include <set>
#include <utility>
#include <vector>

#include "assay/judge/findings.hpp"
#include "assay/judge/outlook.hpp"
#include "assay/model/evidence.hpp"
#include "assay/model/stopped.hpp"

namespace assay::inline v1::campaign {
namespace {

using PlannedCheck = std::pair<CellId, std::optional<CellId>>;  ///< a cell, and the one it is compared with

/// Every compared cell once, each baseline before what is compared with it: a baseline may be compared with
/// another itself.
std::vector<PlannedCheck> order_of_checks(const Design& design) {
  std::map<CellId, CellId> baseline_of;
  for (const auto& contrast : design.contrasts) baseline_of.emplace(contrast.candidate, contrast.baseline);
  std::vector<PlannedCheck> order;
  std::set<CellId> listed;
  const auto list = [&](const auto& self, CellId cell) -> void {
    if (!listed.insert(cell).second) return;
    const auto baseline = baseline_of.find(cell);
    if (baseline != baseline_of.end()) self(self, baseline->second);
    order.push_back({cell, baseline == baseline_of.end() ? std::nullopt : std::optional(baseline->second)});
  };
  for (const auto& contrast : design.contrasts) list(list, contrast.candidate);
  return order;
}

}  // namespace

Findings Life::live(const Policy& policy, bool forecasts) {
  auto state = CampaignState::interrupted;
  try {
    check();
    doubt_checks();
    if (measure(policy, forecasts) != Ended::stopped) {
      check("at the end, ");
      state = CampaignState::ended;
    }
  } catch (const Stopped&) {
    state = CampaignState::interrupted;
  }
  rig_.close();
  recorder_.set_state(state);
  observer_.ended(recorder_.record());
  return judge::judge_record(recorder_.record());
}

void Life::check(const std::string& when) {
  const double start = clock_();
  const auto order = order_of_checks(recorder_.design());
  int done = 0;
  for (const auto& [cell, baseline] : order) {
    if (stop_.stop_requested()) throw Stopped{};
    observer_.progress({.phase = Progress::Phase::checking,
                        .cell = cell,
                        .done = done++,
                        .planned = static_cast<int>(order.size()),
                        .spent = clock_() - start});
    const bool worth_it = when.empty() || rig_.is_worth_checking_again(cell);
    if (recorder_.states()[cell].is_sound() && worth_it) fold_in(rig_.check(cell, baseline, stop_), when);
  }
  if (stop_.stop_requested()) throw Stopped{};
}

void Life::fold_in(Trial trial, const std::string& when) {
  const auto cell = trial.cell;
  const auto outcome = trial.outcome;
  const auto detail = when + trial.detail;
  recorder_.add_trial(std::move(trial));
  if (outcome == Outcome::wrong)
    recorder_.set_state_of(cell, {Standing::wrong, detail});
  else if (outcome == Outcome::absent)
    recorder_.set_state_of(cell, {Standing::absent, detail});
  else if (outcome != Outcome::ok && outcome != Outcome::interrupted)
    recorder_.set_state_of(cell, {Standing::failed, detail});
}

void Life::doubt_checks() {
  for (const auto& doubt : rig_.doubts()) {
    recorder_.add_doubt(doubt);
    observer_.said("workload " + recorder_.design().workloads[doubt.workload].name + ": " + doubt.text);
  }
  for (const auto& choice : rig_.choices()) observer_.said(choice);
}

Outlook Life::look_ahead(Evidence::From pilots, const Policy& policy) const {
  const Evidence evidence(recorder_.design(), recorder_.log());
  Table<CellId, double> pauses;
  for (const auto cell : recorder_.design().cells.ids()) pauses.add(rig_.pause_before(cell));
  auto outlook =
      judge::look_ahead(evidence, pilots, policy.budget(), slots_for(recorder_, rig_, policy), pauses);
  outlook.goes_on = policy.goes_on_to_first_look();
  return outlook;
}

Ended Life::measure(const Policy& policy, bool forecasts) {
  constexpr int enough_for_a_forecast = 3;  // rounds, for the spread
  const auto tell = [&] {
    observer_.forecast(look_ahead(Evidence::From::judged, policy), recorder_.design());
  };
  if (forecasts || look_ahead(Evidence::From::judged, policy).cannot_decide()) tell();
  Rounds rounds(recorder_, rig_, policy, observer_, stop_, clock_);
  bool told = !forecasts;
  while (true) {
    if (const auto ended = rounds.step()) return *ended;
    if (told || rounds.judged() != enough_for_a_forecast) continue;
    told = true;
    tell();
  }
}

}  // namespace assay::inline v1::campaign
