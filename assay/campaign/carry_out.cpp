#include "assay/campaign/carry_out.hpp"

#include <algorithm>
#include <filesystem>
#include <map>
#include <optional>
#include <set>
#include <utility>

#include "assay/build/builder.hpp"
#include "assay/campaign/begin.hpp"
#include "assay/campaign/clients.hpp"
#include "assay/campaign/identity.hpp"
#include "assay/campaign/lay_down.hpp"
#include "assay/campaign/life.hpp"
#include "assay/campaign/mixed.hpp"
#include "assay/campaign/offer.hpp"
#include "assay/campaign/policy.hpp"
#include "assay/campaign/processes.hpp"
#include "assay/campaign/recorder.hpp"
#include "assay/campaign/services.hpp"
#include "assay/campaign/turn.hpp"
#include "assay/campaign/workshop.hpp"
#include "assay/judge/findings.hpp"
#include "assay/measure/program_size.hpp"
#include "assay/measure/turnstile.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/model/error.hpp"
#include "assay/model/stopped.hpp"
#include "assay/plan/matrix.hpp"
#include "assay/plan/validate.hpp"

namespace assay::inline v1::campaign {
namespace {

using metrics::Known;

/// The sizes of every program that is compared, and how long it took to build, as the trial of a build. Each
/// pair of programs has them once.
void record_builds(Recorder& recorder, const Table<CellId, ProcessCell>& cells) {
  const auto& design = recorder.design();
  std::set<std::pair<std::string, std::string>> compared;
  std::set<CellId> told;
  for (const auto& contrast : design.contrasts) {
    if (!compared.emplace(cells[contrast.baseline].program, cells[contrast.candidate].program).second)
      continue;
    for (const auto cell : {contrast.baseline, contrast.candidate}) {
      const auto size = measure::size_of_program(cells[cell].program);
      if (!size || !told.insert(cell).second) continue;
      Trial trial{.cell = cell, .role = Role::build};
      const auto add = [&](Known metric, double value) {
        if (const auto id = metrics::find(design.metrics, metric)) trial.readings.push_back({*id, value});
      };
      add(Known::program_size, static_cast<double>(size->file));
      if (size->text) add(Known::text_size, static_cast<double>(*size->text));
      if (size->data) add(Known::data_size, static_cast<double>(*size->data));
      if (cells[cell].build_seconds > 0) add(Known::build_time, cells[cell].build_seconds);
      recorder.add_trial(std::move(trial));
    }
  }
}

Plan placed(const Plan& given) {
  plan::validate(given);
  auto plan = given;
  plan.folder =
      std::filesystem::absolute(plan.folder.empty() ? "." : plan.folder).lexically_normal().string();
  return plan;
}

/// A plan that has been laid down, with what runs its programs.
class Campaign {
 public:
  /// Everything up to the first trial. Throws Stopped.
  Campaign(const Plan& given, const Options& options, const std::string& ledger)
      : plan_(placed(given)),
        observer_(options.observer == nullptr ? nobody_ : *options.observer),
        offer_(what_is_offered(launcher_)) {
    for (const auto& remark : plan::remarks_on(plan_)) observer_.said(remark);
    auto sitting = sitting_here();
    take_turn(turnstile_, options.when_busy, observer_, options.stop, sitting);
    const Workshop workshop(
        plan_, launcher_, [&](const std::string& text) { observer_.said(text); }, options.stop);
    auto laid = lay_down(plan_, workshop, launcher_, offer_, options);
    laid.record.log.sittings.add(std::move(sitting));
    recorder_.emplace(begin(std::move(laid.record), ledger, options.resume));
    const auto folder = std::filesystem::path(ledger).parent_path();
    if (folder.filename() == ".assay") build::hide_from_git(folder.string());
    if (has_ended()) return;
    observer_.begun(recorder_->design());
    if (recorder_->log().trials.empty()) record_builds(*recorder_, laid.cells);
    programs_.emplace(std::move(laid.cells), launcher_, recorder_->design(), plan_, offer_);
    std::map<CellId, ServiceCell> asked;  // by programs of the user's own
    for (auto at = laid.services.begin(); at != laid.services.end();)
      if (auto here = at++; !here->second.requests) asked.insert(laid.services.extract(here));
    clients_.emplace(std::move(asked), *programs_, launcher_, recorder_->design());
    services_.emplace(std::move(laid.services), launcher_, recorder_->design(), recorder_->log());
    rig_.emplace(*programs_, *services_, *clients_);
    life_.emplace(*recorder_, *rig_, observer_, options.stop);
  }

  bool has_ended() const { return recorder_->log().state == CampaignState::ended; }
  const Record& record() const { return recorder_->record(); }
  const Plan& plan() const { return plan_; }
  Life& life() { return *life_; }

 private:
  Plan plan_;
  Observer nobody_;
  Observer& observer_;
  measure::Launcher launcher_;
  Offer offer_;
  measure::Turnstile turnstile_;
  std::optional<Recorder> recorder_;
  std::optional<Processes> programs_;
  std::optional<Services> services_;
  std::optional<Clients> clients_;
  std::optional<Mixed> rig_;
  std::optional<Life> life_;
};

}  // namespace

Findings carry_out(const Plan& plan, const Options& options) try {
  Campaign campaign(plan, options, options.ledger);
  if (campaign.has_ended()) return judge::judge_record(campaign.record());
  const auto& rounds = campaign.plan().rounds;
  judge::Aim aim{.precise = rounds.precise};
  if (plan.gate.allow > 0) aim.allow = plan.gate.allow;
  const auto policy = until_settled(rounds.max, rounds.budget, rounds.mode == PlannedRounds::Mode::abreast,
                                    aim, options.goes_on_to_first_look);
  return campaign.life().live(*policy, options.forecasts);
} catch (const Stopped&) {
  return {.design = {.title = plan.title, .kind = options.kind},
          .state = CampaignState::interrupted,
          .provisional = true};
}

std::pair<Outlook, Design> forecast(const Plan& plan, int rounds, const Options& options) try {
  constexpr int fewest = 3;
  Campaign campaign(plan, options, {});
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
