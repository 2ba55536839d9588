#include <CLI/CLI.hpp>
#include <algorithm>
#include <iostream>
#include <memory>
#include <set>

#include "assay/cli/command.hpp"
#include "assay/cli/find_campaign.hpp"
#include "assay/cli/repeat.hpp"
#include "assay/cli/run_comparison.hpp"
#include "assay/compare.hpp"
#include "assay/error.hpp"
#include "assay/judge.hpp"
#include "assay/plan.hpp"

namespace assay::cli {
namespace {

constexpr const char* again_examples =
    R"(  assay again                            what is unclear or surprising in the last campaign
  assay again --only candidate=heap      every finding on heap
  assay again --unclear --budget 10min   what is unclear, with the rounds it needs
  assay again before                     the campaign that was named "before"

Commits and the working tree are built as they were then. Fresh data only: what was measured before is
compared with it, not mixed in.)";

struct AgainOptions {
  std::string campaign = "last", ledger, only, rounds, budget, when_busy = "wait";
  bool unclear = false, surprising = false, trust = false, json = false;
};

/// The campaign before this one of the same title that has ended.
std::optional<Findings> earlier_one(ledger::Ledger& ledger, const ledger::CampaignSummary& campaign) {
  bool passed = false;
  for (const auto& other : ledger.list({.kinds = {campaign.kind}, .title = campaign.title})) {
    if (passed && other.candidates == campaign.candidates && other.state == CampaignState::ended)
      return judge::judge_record(ledger.read(other.id));
    passed = passed || other.uid == campaign.uid;
  }
  return {};
}

struct Choice {
  std::set<std::tuple<std::string, std::string, std::string>> cells;
  int rounds = 0;  ///< that the unclear ones among them need
};

Choice choose(const AgainOptions& asked, const Findings& findings, const Findings* earlier) {
  const auto only = parse_cell_filter(asked.only);
  const bool all = !asked.unclear && !asked.surprising && !only.empty();
  const bool either = !asked.unclear && !asked.surprising && only.empty();
  const auto odd = judge::find_surprises(findings, earlier);
  Choice choice;
  for (std::size_t i = 0; i < findings.findings.size(); ++i) {
    const auto& f = findings.findings[i];
    const auto& cell = findings.candidate_cell(f);
    const auto& name = findings.candidate(cell).name;
    const auto& workload = findings.workload(cell).name;
    if (!findings.metric_of(f).request.watched || findings.candidate(cell).twin_of || f.superseded_by)
      continue;
    if (!only.matches("candidate", name) || !only.matches("workload", workload) ||
        !only.matches(cell.setting))
      continue;
    const auto surprise = std::ranges::find(odd, i, &judge::Surprise::finding);
    const bool surprising = surprise != odd.end() && (asked.surprising || either || all);
    const bool unclear = f.verdict == Verdict::unclear && (asked.unclear || either || all);
    if (!all && !surprising && !unclear) continue;
    choice.cells.insert({name, workload, cell.setting.text()});
    const auto setting = cell.setting.text();
    const auto why = unclear                 ? std::string("it is unclear")
                     : surprise != odd.end() ? report::surprise_text(*surprise)
                                             : "as asked";
    std::cerr << "assay: again, " << name << " on " << workload << (setting.empty() ? "" : ", " + setting)
              << ": " << why << "\n";
    if (unclear && f.rounds_to_decide) choice.rounds = std::max(choice.rounds, f.rounds_to_decide->rounds);
  }
  return choice;
}

int again(const AgainOptions& asked) {
  auto found = find_campaign(asked.campaign, asked.ledger);
  const auto record = found.ledger.read(found.campaign.id);
  require_repeatable(record.design);
  const auto before = judge::judge_record(record);
  const auto earlier = earlier_one(found.ledger, found.campaign);
  const auto choice = choose(asked, before, earlier ? &*earlier : nullptr);
  if (choice.cells.empty()) {
    std::cerr << "assay: nothing here is unclear or surprising; --only chooses findings to confirm\n";
    return app::exit_done;
  }
  auto plan = plan_to_repeat(record.design, asked.trust);
  constexpr int most = 1000;
  const bool is_open = plan.rounds.max >= PlannedRounds::open_end;
  if (!is_open || choice.rounds > PlannedRounds::most_rounds)
    plan.rounds.max = std::min(std::max(is_open ? 0 : plan.rounds.max, choice.rounds), most);
  plan.rounds.budget = {};
  plan.seed = {};
  if (!asked.rounds.empty()) {
    const auto rounds = app::parse_rounds(asked.rounds);
    plan.rounds.min = rounds.min;
    plan.rounds.max = rounds.max;
  }
  if (!asked.budget.empty()) plan.rounds.budget = app::parse_budget(asked.budget);

  RunContext watching({.kind = CampaignKind::confirmation,
                       .ledger = found.ledger.place().text(),
                       .repeat_command = "assay again",
                       .when_busy = asked.when_busy,
                       .confirms_uid = record.design.uid,
                       .resume_command = {}});
  watching.options().only_cells = choice.cells;
  // As it was run before, or the same question would be answered on another metric.
  watching.options().ways = record.log.ways;
  if (record.design.rules.way != Way::automatic) plan.rounds.mode = record.design.rules.way;
  auto now = setup::run_plan(plan, watching.run(), watching.options());
  now.confirmations = judge::compare_confirmation(before, now);
  watching.progress().clear();
  app::print_results(now, asked.json);
  return status_of(now, {});
}

}  // namespace

void add_again(CLI::App& app, Action& action) {
  auto* command = app.add_subcommand("again", "measure findings again: confirmed or not");
  auto asked = std::make_shared<AgainOptions>();
  app::add_campaign(*command, asked->campaign, asked->ledger);
  app::add_only(*command, asked->only);
  command->add_flag("--unclear", asked->unclear, "those that are unclear");
  command->add_flag("--surprising", asked->surprising,
                    "those within what a twin showed, or against other workloads or an earlier campaign");
  command->add_flag("--trust", asked->trust, "run what the ledger says, also where another measured it");
  app::add_rounds(*command, asked->rounds);
  app::add_budget(*command, asked->budget);
  app::add_when_busy(*command, asked->when_busy);
  app::add_json(*command, asked->json);
  command->footer(again_examples);
  command->callback([asked, &action] { action = [asked] { return again(*asked); }; });
}

}  // namespace assay::cli
