#include "assay/where.hpp"

#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <algorithm>
#include <iostream>
#include <memory>

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

constexpr const char* where_examples =
    R"(  assay where                            what changed most in the last campaign: fresh rounds, sampled
  assay where --only candidate=heap      the comparison of heap with its baseline
  assay where --rounds 60                or --budget 1min; else 20 rounds, or as many as take 10 s

The kernel looks 4 000 times a second of CPU time where each program is (10 000 times where a trial takes less than
30 ms). Functions whose time has changed are named, by a test over the rounds: one that has not changed is named in
5 % of campaigns at most.
The verdict of the campaign stays what it is.)";

struct WhereOptions {
  std::string campaign = "last", ledger, only, rounds, budget, when_busy = "wait";
  CellFilter cells = {};  ///< besides what `only` says
  bool trust = false;
  std::map<std::string, std::string> variables;  ///< see setup::PlanOptions
};

const Finding& choose(const WhereOptions& asked, const Findings& findings) {
  const auto only = asked.only.empty() ? asked.cells : parse_cell_filter(asked.only);
  const auto* chosen = largest_time_change(findings, only);
  if (chosen == nullptr)
    throw Error("nothing here compares the times of programs", asked.only.empty() ? "where" : asked.only,
                "assay verdict shows what was compared");
  if (!is_change(chosen->verdict) && only.empty())
    throw Error("no time changed in this campaign, so that no function is behind it", "where",
                "--only candidate=NAME looks into a comparison all the same");
  return *chosen;
}

/// Rounds of a campaign whose round takes so long.
int planned_rounds(const WhereOptions& asked, double seconds) {
  constexpr int usual = 20, most = 60;
  constexpr double usual_seconds = 10;
  if (!asked.rounds.empty()) return app::parse_rounds(asked.rounds).max;
  const double budget = asked.budget.empty() ? usual_seconds : app::parse_budget(asked.budget);
  const int fitting = seconds > 0 ? static_cast<int>(budget / seconds) : most;
  if (!asked.budget.empty()) return std::max(fitting, fewest_sampled_rounds());
  return std::clamp(fitting, usual, most);
}

int where(const WhereOptions& asked) {
  auto found = find_campaign(asked.campaign, asked.ledger);
  auto record = found.ledger.read(found.campaign.id);
  if (const auto about = record.design.confirms_uid;
      record.design.kind == CampaignKind::where &&
      !about.empty())  // asked by its name: about the same findings
    for (const auto& other : found.ledger.list({.uid = about})) record = found.ledger.read(other.id);
  if (record.design.kind == CampaignKind::contest)
    throw Error("it compares functions inside of a program", "where",
                "that program shows it itself: run it with --where");
  require_repeatable(record.design);
  const auto before = judge::judge_record(record);
  const auto& finding = choose(asked, before);
  const auto& cell = before.candidate_cell(finding);
  auto plan = plan_to_repeat(record.design, asked.trust);

  constexpr double usual = 250e-6, quick = 100e-6, short_trial = 0.03, shortest = 0.002;
  const bool of_server = before.programs.empty() && before.rounds > 0;
  const double round = of_server ? before.measured_seconds / static_cast<double>(before.rounds)
                                 : finding.baseline_typical + finding.candidate_typical;
  const double seconds = of_server ? round : std::min(finding.baseline_typical, finding.candidate_typical);
  if (seconds < shortest)
    throw Error(fmt::format("its trials of {:.2g} ms are too short to be looked into", 1e3 * seconds),
                "where", "a longer workload tells more");
  plan.rounds.budget = {};
  plan.seed = {};
  plan.rounds.twin = false;

  RunContext watching({.kind = CampaignKind::where,
                       .ledger = found.ledger.place().text(),
                       .repeat_command = "assay where",
                       .when_busy = asked.when_busy,
                       .confirms_uid = record.design.uid,
                       .resume_command = {}});
  auto& options = watching.options();
  options.only_cells = {{before.candidate(cell).name, before.workload(cell).name, cell.setting.text()}};
  options.ways = record.log.ways;
  options.report_forecast = false;
  options.variables = asked.variables;
  if (record.design.rules.way != Way::automatic) plan.rounds.mode = record.design.rules.way;
  options.fixed_rounds = planned_rounds(asked, round);
  options.sampling_period = seconds < short_trial ? quick : usual;
  const auto sampled = run_plan(plan, watching.run(), options);
  watching.progress().clear();
  if (sampled.state == CampaignState::interrupted) return status_of(sampled, {});
  auto shown = before;
  shown.where.clear();
  adopt_where(shown, sampled);
  if (shown.where.empty() && shown.where_remarks.empty())
    throw Error("no round of both programs could be sampled", "where",
                "assay verdict " + short_uid(sampled.design.uid) + " says what was wrong with each",
                Error::Code::measuring);
  for (const auto& line : where_block(shown)) std::cout << line << "\n";
  return status_of(sampled, {});
}

}  // namespace

int show_where(const std::string& uid, const std::string& ledger, const std::string& when_busy,
               const std::map<std::string, std::string>& variables, const CellFilter& only) {
  std::cout << "\n" << std::flush;
  try {
    return where(
        {.campaign = uid, .ledger = ledger, .when_busy = when_busy, .cells = only, .variables = variables});
  } catch (const Error& error) {
    std::cout << error.what() << "\n";
    return app::exit_done;
  }
}

void add_where(CLI::App& app, Action& action) {
  auto* command = app.add_subcommand("where", "which functions made it slower or faster");
  auto asked = std::make_shared<WhereOptions>();
  app::add_campaign(*command, asked->campaign, asked->ledger);
  app::add_only(*command, asked->only);
  command->add_flag("--trust", asked->trust, "run what the ledger says, also where another measured it");
  app::add_rounds(*command, asked->rounds);
  app::add_budget(*command, asked->budget);
  app::add_when_busy(*command, asked->when_busy);
  command->footer(where_examples);
  command->callback([asked, &action] { action = [asked] { return where(*asked); }; });
}

}  // namespace assay::cli
