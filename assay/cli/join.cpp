#include <CLI/CLI.hpp>
#include <filesystem>
#include <iostream>
#include <memory>
#include <string>
#include <vector>

#include "assay/cli/command.hpp"
#include "assay/cli/find_campaign.hpp"
#include "assay/cli/repeat.hpp"
#include "assay/cli/run_comparison.hpp"
#include "assay/cli/show_plan.hpp"
#include "assay/compare.hpp"
#include "assay/error.hpp"

namespace assay::cli {
namespace {

constexpr const char* join_examples =
    R"(  assay join                       measures rounds of the campaign that goes on
  assay join 3f9c --for 50min      of this one, and stops in time, as a batch job has to
  assay join 3f9c --show           prints what would be built and run, and runs nothing
  taskset -c 1 assay join 3f9c     a second runner of this machine, on another core

It builds what the campaign compares in this folder, or takes what its cache has; refuses where a program, an input or an
answer is another; and measures whole rounds until all is decided. Any campaign that goes on can be joined, by as many
machines as there are and as often as one likes; a machine that is killed costs its round. The ledger is a database
(docs/team.md); runners of one machine can share a file. Joining runs what the campaign's plan says.

Exit status: 0 the campaign has ended, or the time is up; 2 refused; 3 this machine could measure nothing; 130 interrupted.)";

struct JoinOptions {
  std::string campaign, ledger, time, label, when_busy = "wait";
  bool unlike = false, show = false, trust = false;
};

/// Whether campaigns of this kind are measured by a plan that others can carry out too.
bool can_be_joined(const ledger::CampaignSummary& campaign) {
  return campaign.state != CampaignState::ended &&
         (campaign.kind == CampaignKind::plan || campaign.kind == CampaignKind::duel ||
          campaign.kind == CampaignKind::confirmation);
}

/// The one campaign that goes on, where none is named: those that are measured or were laid down for it; where there are
/// none, those that were cut off.
std::string going_on(const std::string& named_ledger) {
  constexpr std::size_t looked_at = 100;
  std::vector<ledger::CampaignSummary> going, cut_off;
  for (const auto& path : searched_ledgers(named_ledger)) {
    ledger::Ledger ledger(path, ledger::Ledger::OpenMode::existing);
    for (auto& campaign : ledger.list({.newest = looked_at})) {
      if (!can_be_joined(campaign) || campaign.state != CampaignState::open) continue;
      const auto activity = ledger.activity(campaign.id);
      (activity.is_measured() || activity.rounds.empty() ? going : cut_off).push_back(std::move(campaign));
    }
  }
  const auto& open = going.empty() ? cut_off : going;
  if (open.size() == 1) return open.front().uid;
  if (open.empty())
    throw Error("no campaign goes on", "join", "assay run begins one, and assay run --open lays one down");
  std::string names;
  for (const auto& campaign : open)
    names += (names.empty() ? "" : ", ") + short_uid(campaign.uid) + " (" +
             (campaign.title.empty() ? campaign.candidates : campaign.title) + ")";
  throw Error("several campaigns go on: " + names, "join",
              "name one: assay join " + short_uid(open.front().uid));
}

std::string rounds_text(std::size_t rounds) {
  return std::to_string(rounds) + (rounds == 1 ? " round" : " rounds");
}

int report(const setup::JoinResult& result, const std::string& uid) {
  using engine::StopReason;
  const auto id = short_uid(uid);
  const auto so_far = rounds_text(result.rounds) + ", " + std::to_string(result.here) + " of them here";
  switch (result.why) {
    case StopReason::stopped:
      std::cerr << "assay: left campaign " << id << "; take part again: assay join " << id << "\n";
      return app::exit_interrupted;
    case StopReason::slow:
    case StopReason::fails_here:  // the reason was shown
      std::cerr << "assay: this machine has left campaign " << id << " to the others\n";
      return app::exit_nothing_measured;
    case StopReason::time:
      std::cerr << "assay: the time is up; campaign " << id << " has " << so_far << ", and "
                << (result.state == CampaignState::open ? "goes on elsewhere" : "waits for others") << "\n";
      return app::exit_done;
    default:
      std::cerr << "assay: campaign " << id << " has ended after " << so_far << "; assay verdict " << id
                << " shows it\n";
      return app::exit_done;
  }
}

int join(const JoinOptions& asked) {
  auto found = find_campaign(asked.campaign.empty() ? going_on(asked.ledger) : asked.campaign, asked.ledger);
  const auto uid = found.campaign.uid;
  if (found.campaign.state == CampaignState::ended)
    throw Error("campaign " + short_uid(uid) + " has ended", "join",
                "assay verdict " + short_uid(uid) + " shows it");
  const auto record = found.ledger.read(found.campaign.id);
  if (!can_be_joined(found.campaign) || record.design.plan.empty() || record.design.folder.empty())
    throw Error("this campaign is measured by a program of its own", short_uid(uid),
                "campaigns of plans and duels can be joined");
  const auto plan = plan_in(std::filesystem::current_path().string(), record.design);
  if (asked.show) {
    show_cells(plan);
    return app::exit_done;
  }
  // Who may write into a database is trusted by its owner; a file may have come with a folder.
  if (!found.ledger.place().is_database() && !asked.trust && !app::is_remembered(measured_campaigns(), uid))
    refuse_foreign(plan);
  warn_of_unset_variables(plan);
  engine::Joining joining{.uid = uid, .label = asked.label, .unlike = asked.unlike};
  if (!asked.time.empty()) joining.seconds = app::parse_time(asked.time, "--for");
  RunContext watching({.kind = record.design.kind,
                       .ledger = found.ledger.place().text(),
                       .repeat_command = {},
                       .when_busy = asked.when_busy,
                       .confirms_uid = {},
                       .resume_command = {},
                       .join = joining});
  watching.progress().on_message(
      "joining campaign " + short_uid(uid) + ", " +
      (found.campaign.title.empty() ? found.campaign.candidates : found.campaign.title));
  if (record.design.kind == CampaignKind::confirmation)
    for (const auto& comparison : record.design.comparisons)
      if (!record.design.is_twin(comparison.candidate))
        watching.options().only_cells.insert({record.design.candidate_of(comparison.candidate).name,
                                              record.design.workload_of(comparison.candidate).name,
                                              record.design.cells[comparison.candidate].setting.text()});
  try {
    const auto result = setup::join_plan(plan, watching.run(), watching.options());
    watching.progress().clear();
    return report(result, uid);
  } catch (const model::Cancelled&) {
    return app::exit_interrupted;
  }
}

}  // namespace

void add_join(CLI::App& app, Action& action) {
  auto* command = app.add_subcommand("join", "measure rounds of a campaign that goes on, here as well");
  auto asked = std::make_shared<JoinOptions>();
  command->add_option("CAMPAIGN", asked->campaign,
                      "a name, or the beginning of an id (default: the one that goes on)");
  command->add_option("--for", asked->time,
                      "begin no round when two of the longest would not end within this, like 50min");
  command->add_option("--name", asked->label, "what this machine is called in lists");
  command->add_flag("--unlike", asked->unlike,
                    "also on another kind of machine, or where a build of the same source is another file");
  command->add_flag("--trust", asked->trust,
                    "run what a ledger in a file says, also where another user began it");
  command->add_flag("--show", asked->show, "print the cells and their commands, and run nothing");
  app::add_when_busy(*command, asked->when_busy);
  app::add_ledger(*command, asked->ledger);
  command->footer(join_examples);
  command->callback([asked, &action] { action = [asked] { return join(*asked); }; });
}

}  // namespace assay::cli
