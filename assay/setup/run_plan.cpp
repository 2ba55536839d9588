#include "assay/setup/run_plan.hpp"

#include <algorithm>
#include <memory>

#include "assay/engine/stop_policy.hpp"
#include "assay/judge/judge.hpp"
#include "assay/model/error.hpp"
#include "assay/setup/prepared_campaign.hpp"

namespace assay::setup {

namespace {

std::unique_ptr<engine::StopPolicy> policy_of(const Plan& plan, const PlanOptions& options) {
  constexpr double short_while = 4;
  const auto& rounds = plan.rounds;
  judge::StopCriteria aim{
      .precise = rounds.precise, .promise = options.promise, .seconds_for_slow_runs = short_while};
  if (plan.gate.allow > 0) aim.allow = plan.gate.allow;
  return options.fixed_rounds > 0 ? engine::fixed_rounds(options.fixed_rounds)
                                  : engine::until_decided(rounds.max, rounds.budget, aim);
}

}  // namespace

Findings run_plan(const Plan& plan, const RunOptions& run, const PlanOptions& options) try {
  PreparedCampaign campaign(plan, run, options);
  if (campaign.has_ended()) {
    if (run.observer != nullptr) run.observer->on_end(campaign.record());
    return judge::judge_record(campaign.record());
  }
  const auto policy = policy_of(campaign.plan(), options);
  return campaign.life().run(*policy, options.report_forecast);
} catch (const Cancelled&) {
  return {.design = {.title = plan.title, .kind = options.kind},
          .state = CampaignState::interrupted,
          .provisional = true};
}

Design open_plan(const Plan& plan, const RunOptions& run, const PlanOptions& options) {
  PreparedCampaign campaign(plan, run, options);
  auto state = CampaignState::interrupted;
  const auto leave = [&] {
    campaign.runner().close();
    campaign.recorder().end_session(state);
  };
  try {
    campaign.life().check();
    campaign.life().report_check_warnings();
  } catch (const Cancelled&) {
    leave();
    throw;
  }
  state = CampaignState::open;
  leave();
  return campaign.record().design;
}

JoinResult join_plan(const Plan& plan, const RunOptions& run, const PlanOptions& options) {
  PreparedCampaign campaign(plan, run, options);
  campaign.life().set_time(run.join->seconds);
  campaign.life().run(*policy_of(campaign.plan(), options), false);
  const auto& record = campaign.record();
  JoinResult result{.why = campaign.life().stop_reason(), .state = record.log.state};
  const auto complete = complete_rounds(record.log);
  for (const auto& round : record.log.rounds) {
    if (round.role != Role::measured || !complete.contains(round.number)) continue;
    ++result.rounds;
    result.here += round.session == campaign.recorder().session() ? 1U : 0U;
  }
  return result;
}

std::pair<Forecast, Design> forecast(const Plan& plan, int rounds, const RunOptions& run,
                                     const PlanOptions& options) try {
  constexpr int fewest = 3;
  auto unkept = run;
  unkept.ledger.clear();
  PreparedCampaign campaign(plan, unkept, options);
  auto& life = campaign.life();
  life.check();
  life.report_check_warnings();
  life.measure(*engine::fixed_rounds(std::max(rounds, fewest)), false);
  const auto& budgeted = campaign.plan().rounds;
  const auto planned = engine::until_decided(budgeted.max, budgeted.budget);
  auto outlook = life.forecast(Observations::Source::judged, *planned);
  if (outlook.comparisons == 0)
    throw Error("no candidate could be measured beside its baseline", "forecast",
                "assay run names what is wrong with each", Error::Code::measuring);
  return {std::move(outlook), campaign.record().design};
} catch (const Cancelled&) {
  return {};
}

}  // namespace assay::setup
