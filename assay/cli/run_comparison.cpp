#include "assay/cli/run_comparison.hpp"

#include <CLI/CLI.hpp>
#include <algorithm>
#include <iostream>
#include <sstream>

#include "assay/cli/command.hpp"
#include "assay/error.hpp"
#include "assay/plan.hpp"

namespace assay::cli {

void add_plan_options(CLI::App& command, PlanOptions& asked) {
  command.add_option("PLAN", asked.file, "the plan file (default assay.toml)");
  command.add_option(
      "--candidates", asked.candidates,
      "commits in place of the plan's candidates, the first the baseline: main,HEAD,. (the working "
      "tree is ., merge-base:main where HEAD left main)");
  app::add_only(command, asked.only);
  const std::string in_place = ", in place of the plan's";
  app::add_rounds(command, asked.rounds, in_place);
  app::add_budget(command, asked.budget, in_place);
  app::add_margin(command, asked.margin, in_place);
  app::add_ways(command, asked.way);
  app::add_precise(command, asked.precise);
}

Plan read_plan(const PlanOptions& asked) {
  std::vector<std::string> commits;
  std::istringstream parts(asked.candidates);
  for (std::string part; std::getline(parts, part, ',');)
    if (!part.empty()) commits.push_back(part);
  auto plan = plan::read_file(asked.file, commits);
  plan::filter_plan(plan, parse_cell_filter(asked.only));
  if (!asked.rounds.empty()) {
    const auto planned = plan.rounds;
    plan.rounds = app::parse_rounds(asked.rounds);
    plan.rounds.budget = planned.budget;
    plan.rounds.mode = planned.mode;
    plan.rounds.twin = planned.twin;
    plan.rounds.precise = planned.precise;
    plan::validate(plan, {{"rounds.max", "--rounds"}, {"rounds.min", "--rounds"}});
  }
  if (!asked.budget.empty()) plan.rounds.budget = app::parse_budget(asked.budget);
  if (!asked.margin.empty()) {
    plan.margin = app::parse_margin(asked.margin);
    plan::validate(plan, {{"plan.margin", "--margin"}});
  }
  if (asked.way != Way::automatic) {
    plan.rounds.mode = asked.way;
    const auto option = "--" + to_string(asked.way);
    plan::validate(plan, {{"plan.watch", option}, {"rounds.mode", option}, {"candidate", option}});
  }
  if (!asked.precise.empty()) {
    plan.rounds.precise = app::parse_precision(asked.precise);
    plan::validate(plan, {{"rounds.precise", "--precise"}});
  }
  return plan;
}

Plan read_plan_of_commits(const std::string& file) {
  Plan plan;
  try {
    plan = plan::read_file(file);
  } catch (
      const Error&) {  // it may have a [build] and no candidates; what else is wrong is printed once more
    return plan::read_file(file, {"HEAD", "."});
  }
  const auto found = std::ranges::find_if(plan.candidates, [](const auto& c) { return !c.commit.empty(); });
  if (found == plan.candidates.end()) return plan::read_file(file, {"HEAD", "."});
  std::iter_swap(plan.candidates.begin(), found);
  return plan;
}

RunContext::RunContext(const ComparisonRequest& how)
    : run_{.ledger = how.ledger,
           .repeat_command = how.repeat_command,
           .resume = how.resume,
           .join = how.join,
           .when_busy = app::when_busy_of(how.when_busy),
           .observer = &progress_,
           .stop = stopping_.token()},
      options_{.kind = how.kind,
               .confirms_uid = how.confirms_uid,
               .variables = how.variables,
               .invites = true,
               .report_forecast = how.kind != CampaignKind::duel} {}

int status_of(const Findings& findings, const std::string& go_on) {
  if (findings.state == CampaignState::interrupted) {
    if (!go_on.empty()) std::cerr << "assay: kept; to go on: " << go_on << "\n";
    return app::exit_interrupted;
  }
  const auto is_twin = [&](const Finding& f) {
    return findings.candidate(findings.candidate_cell(f)).twin_of.has_value();
  };
  if (!std::ranges::all_of(findings.findings, is_twin)) return app::exit_done;
  std::cerr << "assay: nothing could be compared\n";
  return app::exit_nothing_measured;
}

void write_file(const std::string& path, const std::string& text, const std::string& what) {
  write_whole(path, text, what);
}

int compare(const Plan& plan, const ComparisonRequest& how, std::string* uid) {
  RunContext watching(how);
  try {
    const auto findings = setup::run_plan(plan, watching.run(), watching.options());
    watching.progress().clear();
    if (uid != nullptr) *uid = findings.design.uid;
    app::print_results(findings, how.json);
    const int status = status_of(findings, how.resume_command);
    if (!how.applies_gate || status == app::exit_interrupted) return status;
    const auto result = judge::evaluate_gate(findings, plan.gate);
    (how.json ? std::cerr : std::cout) << "\n" << render::to_text(result, findings.design);
    if (!how.junit.empty())
      write_file(how.junit, render::to_junit(result, findings.design), "the gate's reasons");
    return result.passes ? status : exit_gate;
  } catch (const Error& error) {
    if (error.code() != Error::Code::ledger_full || how.resume_command.empty()) throw;
    throw Error(error.problem(), error.place(), error.remedy() + "; then go on with " + how.resume_command,
                error.code());
  }
}

}  // namespace assay::cli
