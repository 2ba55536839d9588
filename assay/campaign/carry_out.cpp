#include "assay/campaign/carry_out.hpp"

#include <algorithm>

#include "assay/campaign/policy.hpp"
#include "assay/campaign/prepared.hpp"
#include "assay/judge/findings.hpp"
#include "assay/model/error.hpp"
#include "assay/model/stopped.hpp"

namespace assay::inline v1::campaign {

Findings carry_out(const Plan& plan, const Options& options) try {
  Prepared campaign(plan, options, options.ledger);
  if (campaign.has_ended()) {
    if (options.observer != nullptr) options.observer->ended(campaign.record());
    return judge::judge_record(campaign.record());
  }
  const auto& rounds = campaign.plan().rounds;
  constexpr double short_while = 4;
  judge::Aim aim{.precise = rounds.precise, .sure = options.sure, .seconds_for_slow_runs = short_while};
  if (plan.gate.allow > 0) aim.allow = plan.gate.allow;
  const auto policy = options.fixed_rounds > 0 ? fixed_rounds(options.fixed_rounds)
                                               : until_settled(rounds.max, rounds.budget,
                                                               rounds.mode == PlannedRounds::Mode::abreast,
                                                               aim, options.goes_on_to_first_look);
  return campaign.life().live(*policy, options.forecasts);
} catch (const Stopped&) {
  return {.design = {.title = plan.title, .kind = options.kind},
          .state = CampaignState::interrupted,
          .provisional = true};
}

std::pair<Outlook, Design> forecast(const Plan& plan, int rounds, const Options& options) try {
  constexpr int fewest = 3;
  Prepared campaign(plan, options, {});
  auto& life = campaign.life();
  life.check();
  life.doubt_checks();
  const auto pilots = pilot_rounds(std::max(rounds, fewest));
  life.measure(*pilots, false);
  const auto& budgeted = campaign.plan().rounds;
  const auto planned = until_settled(budgeted.max, budgeted.budget, false);
  auto outlook = life.look_ahead(Evidence::From::pilot, *planned);
  if (outlook.comparisons == 0)
    throw Error("no candidate could be measured beside its baseline", "forecast",
                "assay run names what is wrong with each", Error::Code::measuring);
  return {std::move(outlook), campaign.record().design};
} catch (const Stopped&) {
  return {};
}

}  // namespace assay::inline v1::campaign
