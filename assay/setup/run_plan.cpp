#include "assay/setup/run_plan.hpp"

#include <algorithm>

#include "assay/engine/stop_policy.hpp"
#include "assay/judge/judge.hpp"
#include "assay/model/error.hpp"
#include "assay/setup/prepared_campaign.hpp"

namespace assay::setup {

Findings run_plan(const Plan& plan, const RunOptions& run, const PlanOptions& options) try {
  PreparedCampaign campaign(plan, run, options);
  if (campaign.has_ended()) {
    if (run.observer != nullptr) run.observer->on_end(campaign.record());
    return judge::judge_record(campaign.record());
  }
  const auto& rounds = campaign.plan().rounds;
  constexpr double short_while = 4;
  judge::StopCriteria aim{
      .precise = rounds.precise, .promise = options.promise, .seconds_for_slow_runs = short_while};
  if (plan.gate.allow > 0) aim.allow = plan.gate.allow;
  const auto policy = options.fixed_rounds > 0 ? engine::fixed_rounds(options.fixed_rounds)
                                               : engine::until_decided(rounds.max, rounds.budget, aim);
  return campaign.life().run(*policy, options.report_forecast);
} catch (const Cancelled&) {
  return {.design = {.title = plan.title, .kind = options.kind},
          .state = CampaignState::interrupted,
          .provisional = true};
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
