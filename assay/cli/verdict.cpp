#include <CLI/CLI.hpp>
#include <iostream>
#include <memory>

#include "assay/cli/command.hpp"
#include "assay/cli/find_campaign.hpp"
#include "assay/cli/run_comparison.hpp"
#include "assay/error.hpp"
#include "assay/judge.hpp"
#include "assay/report.hpp"
#include "assay/where.hpp"

namespace assay::cli {
namespace {

constexpr const char* verdict_examples = R"(  assay verdict            the last campaign
  assay verdict before     the one that was named "before" (assay ledger name)
  assay verdict 3f2a       the one whose id begins so
  assay verdict before last      the last one against "before": nothing of them ran side by side
  assay verdict --profile         all metrics: how a change came about
  assay verdict --trials --only candidate=heap,locks=800     all trials of one cell, and its baseline's
  assay verdict --where           what assay where found, without measuring
  assay verdict --json     the findings document)";

struct VerdictOptions {
  std::string campaign = "last", ledger;
  std::string second, only;
  bool json = false, trials = false, where = false, notes = false, profile = false;
};

/// What a campaign that measured another's findings again made of them, when that one is still there.
void add_confirmations(Findings& findings, ledger::Ledger& ledger) {
  if (findings.design.kind != CampaignKind::confirmation) return;
  if (findings.design.confirms_uid.empty()) return;
  for (const auto& other : ledger.list({.uid = findings.design.confirms_uid}))
    findings.confirmations =
        judge::compare_confirmation(judge::judge_record(ledger.read(other.id)), findings);
}

int verdict(const VerdictOptions& asked) {
  auto found = find_campaign(asked.campaign, asked.ledger);
  auto record = found.ledger.read(found.campaign.id);
  if (!asked.second.empty()) {
    auto other = find_campaign(asked.second, asked.ledger);
    record = judge::combine_campaigns(record, other.ledger.read(other.campaign.id));
  }
  auto findings = asked.second.empty() ? findings_with_where(found, record) : judge::judge_record(record);
  if (asked.second.empty()) add_confirmations(findings, found.ledger);
  judge::filter_results(findings, parse_cell_filter(asked.only));
  if (asked.where) {
    if (findings.where.empty())
      throw Error("nothing was looked into by sampled rounds", "where", "assay where does it");
    for (const auto& line : where_block(findings)) std::cout << line << "\n";
    return app::exit_done;
  }
  app::print_results(findings, asked.json, {.profile = asked.profile, .all_notes = asked.notes});
  if (asked.trials && !asked.json) std::cout << render::details(findings, record);
  return findings.findings.empty() ? app::exit_nothing_measured : app::exit_done;
}

}  // namespace

void add_verdict(CLI::App& app, Action& action) {
  auto* command = app.add_subcommand("verdict", "show the findings of a campaign again");
  auto asked = std::make_shared<VerdictOptions>();
  app::add_campaign(*command, asked->campaign, asked->ledger);
  command->add_option("OTHER", asked->second, "a second campaign, compared with the first: not side by side");
  app::add_only(*command, asked->only);
  command->add_flag("--trials", asked->trials,
                    "all trials of each finding besides: a strip of dots, quantiles");
  command->add_flag("--where", asked->where,
                    "the functions that made it slower or faster alone, as assay where found them");
  command->add_flag("--profile", asked->profile,
                    "all metrics besides, watched or not: typical values and changes of each");
  command->add_flag("--notes", asked->notes, "every note by itself, in place of the five that matter most");
  app::add_json(*command, asked->json);
  command->footer(verdict_examples);
  command->callback([asked, &action] { action = [asked] { return verdict(*asked); }; });
}

}  // namespace assay::cli
