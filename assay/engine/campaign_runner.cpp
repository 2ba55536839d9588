#include "assay/engine/campaign_runner.hpp"

#include <algorithm>
#include <map>
#include <set>
#include <utility>
#include <vector>

#include "assay/judge/forecast.hpp"
#include "assay/judge/judge.hpp"
#include "assay/model/error.hpp"
#include "assay/model/observations.hpp"

namespace assay::engine {
namespace {

using PlannedCheck = std::pair<CellId, std::optional<CellId>>;  ///< a cell, and the one it is compared with

/// Every compared cell once, each baseline before what is compared with it: a baseline may be compared with
/// another itself.
std::vector<PlannedCheck> order_of_checks(const Design& design) {
  std::map<CellId, CellId> baseline_of;
  for (const auto& comparison : design.comparisons)
    baseline_of.emplace(comparison.candidate, comparison.baseline);
  std::vector<PlannedCheck> order;
  std::set<CellId> listed;
  const auto list = [&](const auto& self, CellId cell) -> void {
    if (!listed.insert(cell).second) return;
    const auto baseline = baseline_of.find(cell);
    if (baseline != baseline_of.end()) self(self, baseline->second);
    order.push_back({cell, baseline == baseline_of.end() ? std::nullopt : std::optional(baseline->second)});
  };
  for (const auto& comparison : design.comparisons) list(list, comparison.candidate);
  return order;
}

}  // namespace

Findings CampaignRunner::run(const StopPolicy& policy, bool forecasts) {
  auto state = CampaignState::interrupted;
  try {
    check();
    report_check_warnings();
    ended_ = measure(policy, forecasts);
    if (!leaves_alone(ended_)) {
      check("at the end, ");
      state = CampaignState::ended;
    }
  } catch (const Cancelled&) {
    state = CampaignState::interrupted;
  } catch (const Error& error) {
    if (recorder_.seconds_before() && error.code() != Error::Code::ledger_away) leave();
    throw;
  }
  if (auto samples = runner_.code_samples(); !samples.empty() || !samples.remarks.empty())
    recorder_.set_code_samples(std::move(samples));
  runner_.close();
  recorder_.end_session(state);
  if (recorder_.is_shared()) recorder_.reread();
  observer_.on_end(recorder_.record());
  auto findings = judge::judge_record(recorder_.record());
  if (state == CampaignState::interrupted) findings.state = state;  // here; others may go on
  return findings;
}

void CampaignRunner::check(const std::string& when) {
  const double start = clock_();
  const auto order = order_of_checks(recorder_.design());
  int done = 0;
  for (const auto& [cell, baseline] : order) {
    if (stop_.stop_requested()) throw Cancelled{};
    observer_.on_progress({.phase = Progress::Phase::checking,
                           .cell = cell,
                           .done = done++,
                           .planned = static_cast<int>(order.size()),
                           .seconds_spent = clock_() - start});
    const bool worth_it = when.empty() || runner_.needs_final_check(cell);
    if (recorder_.statuses()[cell].is_ok() && worth_it)
      apply_check(runner_.check(cell, baseline, stop_), when);
  }
  if (stop_.stop_requested()) throw Cancelled{};
}

void CampaignRunner::apply_check(Trial trial, const std::string& when) {
  const auto cell = trial.cell;
  const auto outcome = trial.outcome;
  const auto detail = when + trial.detail;
  if (recorder_.seconds_before() && when.empty()) require_same_answer(trial);
  recorder_.add_trial(std::move(trial));
  if (outcome == Outcome::wrong)
    recorder_.set_cell_status(cell, {StatusCode::wrong, detail});
  else if (outcome == Outcome::unsupported)
    recorder_.set_cell_status(cell, {StatusCode::unsupported, detail});
  else if (outcome != Outcome::ok && outcome != Outcome::interrupted)
    recorder_.set_cell_status(cell, {StatusCode::failed, detail});
}

/// Who joins a campaign has to do the same job: what is wrong here and right elsewhere says nothing of the candidate.
void CampaignRunner::require_same_answer(const Trial& trial) const {
  if (trial.outcome == Outcome::interrupted) return;
  const auto& design = recorder_.design();
  const auto what = design.candidate_of(trial.cell).name + " on " + design.workload_of(trial.cell).name;
  if (trial.outcome != Outcome::ok)
    throw Error(what + " does not do here what it does elsewhere: " + trial.detail, "join",
                "is the input file the same?", Error::Code::measuring);
  if (!runner_.compares_answers(trial.cell)) return;
  for (const auto& first : recorder_.log().trials)
    if (first.role == Role::check && first.cell == trial.cell && first.session != recorder_.session() &&
        !first.output_digest.empty()) {
      if (first.output_digest != trial.output_digest)
        throw Error(what + " answers otherwise here than elsewhere", "join", "is the input file the same?",
                    Error::Code::measuring);
      return;
    }
}

/// This process alone has come to its end.
void CampaignRunner::leave() {
  try {
    runner_.close();
    recorder_.end_session(CampaignState::open);
  } catch (const Error&) {  // the ledger is what failed; others see that nobody is here any more
  }
}

void CampaignRunner::report_check_warnings() {
  for (const auto& doubt : runner_.check_warnings()) {
    recorder_.add_check_warning(doubt);
    observer_.on_message("workload " + recorder_.design().workloads[doubt.workload].name + ": " + doubt.text);
  }
  for (const auto& choice : runner_.decisions()) observer_.on_message(choice);
}

Forecast CampaignRunner::forecast(Observations::Source pilots, const StopPolicy& policy) const {
  const Observations evidence(recorder_.design(), recorder_.log());
  IdTable<CellId, double> pauses;
  for (const auto cell : recorder_.design().cells.ids()) pauses.add(runner_.seconds_before_trial(cell));
  auto outlook = judge::make_forecast(evidence, pilots, policy.budget(),
                                      planned_repeats(recorder_, runner_, policy), pauses);
  outlook.continues =
      outlook.budget && (outlook.first_look + 1) * outlook.round_seconds <= most_stretch * *outlook.budget;
  return outlook;
}

StopReason CampaignRunner::measure(const StopPolicy& policy, bool forecasts) {
  constexpr int enough_for_a_forecast = 3;  // rounds, for the spread
  const auto report_forecast = [&] {
    observer_.on_forecast(forecast(Observations::Source::judged, policy), recorder_.design());
  };
  if (forecasts || forecast(Observations::Source::judged, policy).impossible_reason()) report_forecast();
  RoundLoop rounds(recorder_, runner_, policy, observer_, stop_, clock_);
  if (seconds_ > 0) rounds.set_time(seconds_);
  bool reported = !forecasts;
  while (true) {
    if (const auto ended = rounds.run_round()) return *ended;
    if (reported || rounds.judged() != enough_for_a_forecast) continue;
    reported = true;
    report_forecast();
  }
}

}  // namespace assay::engine
