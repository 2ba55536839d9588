#include "assay/gate.hpp"

#include <CLI/CLI.hpp>
#include <chrono>
#include <iostream>
#include <memory>
#include <thread>
#include <variant>

#include "assay/cli/command.hpp"
#include "assay/cli/find_campaign.hpp"
#include "assay/cli/run_comparison.hpp"
#include "assay/error.hpp"
#include "assay/history.hpp"
#include "assay/judge.hpp"
#include "assay/plan.hpp"
#include "assay/where.hpp"

namespace assay::cli {
namespace {

constexpr const char* gate_examples =
    R"(  assay gate                          the last campaign, by the [gate] of its plan
  assay gate --allow 2% --undecided fail
  assay gate 3f9c --wait 40min        when the machines that measure it have come to its end
  assay gate --junit gate.xml         the reasons as JUnit XML besides
  assay gate before last --apart      the last campaign against an earlier one, though nothing ran side by side
  assay gate --trend assay.toml       the ten newest commits of the history that assay trend has measured

Exit status 0 when it passes, 1 when it does not. Allowed is what the gate says, else each metric's margin; it passes
when the interval's bad end lies within that, fails when the change is called worse beyond it, and is undecided in
between: printed either way, and passes unless --undecided fail is given. Where the plan's [gate] says where = true, a
time that does not pass is looked into by fresh rounds that are sampled, and the functions behind it are named.)";

struct GateOptions {
  std::string campaign = "last", second, ledger, only, allow, undecided, junit, wait;
  int newest = 10;
  bool all = false, apart = false, trend = false;
};

[[noreturn]] void refuse_apart(const std::string& what) {
  throw Error(what + " did not run side by side, and runs apart in time differ for reasons of their own",
              "gate",
              "measure them in one campaign; or add --apart to hold them against the gate all the same");
}

Gate with_asked(Gate rules, const std::string& allow, const std::string& undecided) {
  if (!allow.empty()) try {
      rules.allow = parse_percent(allow);
    } catch (const Error& error) {
      throw Error(error.problem(), "--allow", error.remedy());
    }
  if (!undecided.empty()) rules.undecided_passes = undecided == "pass";
  return rules;
}

void write_junit(const GateOptions& asked, const GateResult& result, const Design& design,
                 const std::string& where = {}) {
  if (!asked.junit.empty())
    write_file(asked.junit, render::to_junit(result, design, where), "the gate's reasons");
}

int print_gate(const GateResult& result, const Design& design, const GateOptions& asked) {
  std::cout << render::to_text(result, design, asked.all);
  write_junit(asked, result, design);
  return result.passes ? app::exit_done : exit_gate;
}

/// The first cell whose time does not pass; nullptr where none fails on a time.
const CellId* failing_cell(const GateResult& result, const Design& design) {
  for (const auto& reason : result.reasons)
    if (reason.status == GateStatus::failed && reason.metric && is_time(design.metrics[*reason.metric]))
      if (const auto* cell = std::get_if<CellId>(&reason.subject)) return cell;
  return nullptr;
}

CellFilter only_cell(const Design& design, CellId id) {
  const auto& cell = design.cells[id];
  CellFilter only;
  only.allowed["candidate"] = {design.candidate_of(id).name};
  only.allowed["workload"] = {design.workload_of(id).name};
  for (const auto& [factor, level] : cell.setting.levels) only.allowed[factor] = {to_string(level)};
  return only;
}

/// Names the functions behind a cell's time that does not pass, by fresh rounds where none of it were sampled yet.
void print_where(FoundCampaign& found, const Record& record, Findings findings, const GateResult& result,
                 CellId cell, const GateOptions& asked) {
  const auto of_others = [&](const Where& where) { return where.comparison.candidate != cell; };
  std::erase_if(findings.where, of_others);
  if (findings.where.empty()) {
    show_where(found.campaign.uid, found.ledger.place().text(), "wait", {}, only_cell(findings.design, cell));
    findings.where = findings_with_where(found, record).where;
    std::erase_if(findings.where, of_others);
  } else {
    std::cout << "\n";
    for (const auto& line : where_block(findings)) std::cout << line << "\n";
  }
  std::string block;
  for (const auto& line : where_block(findings)) block += line + "\n";
  write_junit(asked, result, findings.design, block);
}

/// The newest commits of a history. CAMPAIGN names the plan.
int gate_of_trend(const GateOptions& asked) {
  const auto file = asked.campaign == "last" ? std::string("assay.toml") : asked.campaign;
  const auto plan = read_plan_of_commits(file);
  if (plan.history.reference.empty())
    throw Error("the plan has no history", file,
                "give it [history] reference = \"v1.0\", and measure it: assay trend");
  const auto history =
      history::trend(plan,
                     {.reference = plan.history.reference,
                      .branch = plan.history.branch,
                      .every = plan.history.every,
                      .only = parse_cell_filter(asked.only),
                      .measures = false},
                     {.ledger = ledger_asked(asked.ledger, [&] { return plan_ledger(file); })});
  const auto held = history::evaluate_gate(history, with_asked(plan.gate, asked.allow, asked.undecided),
                                           static_cast<std::size_t>(asked.newest));
  return print_gate(held.result, held.design, asked);
}

/// Until a campaign has ended and nobody is at work in it any more, or the time is up.
void wait_for_end(FoundCampaign& found, const std::string& longest) {
  using namespace std::chrono_literals;
  const auto seconds = std::chrono::duration<double>(app::parse_time(longest, "--wait"));
  const auto until = std::chrono::steady_clock::now() + seconds;
  const app::StopOnSignals stopping;
  const auto stop = stopping.token();
  while (true) {
    const auto activity = found.ledger.activity(found.campaign.id);
    if (activity.state == CampaignState::ended && !activity.is_measured()) return;
    if (stop.stop_requested()) throw model::Cancelled{};
    if (std::chrono::steady_clock::now() >= until)
      throw Error("the campaign has not ended within " + longest, short_uid(found.campaign.uid),
                  "assay ledger " + short_uid(found.campaign.uid) + " shows who measures it",
                  Error::Code::measuring);
    for (int i = 0; i < 10 && !stop.stop_requested(); ++i) std::this_thread::sleep_for(100ms);
  }
}

int gate(const GateOptions& asked) {
  if (asked.trend) return gate_of_trend(asked);
  auto found = find_campaign(asked.campaign, asked.ledger);
  if (!asked.wait.empty()) wait_for_end(found, asked.wait);
  auto record = found.ledger.read(found.campaign.id);
  if (!asked.second.empty()) {
    if (!asked.apart) refuse_apart("two campaigns");
    auto other = find_campaign(asked.second, asked.ledger);
    record = judge::combine_campaigns(record, other.ledger.read(other.campaign.id));
  }
  auto findings = asked.second.empty() ? findings_with_where(found, record) : judge::judge_record(record);
  const auto only = parse_cell_filter(asked.only);
  judge::filter_results(findings, only);
  if (record.design.kind == CampaignKind::imported && record.log.rounds.empty() && !asked.apart)
    refuse_apart("these samples");
  const auto rules = gate_of(record.design, asked.allow, asked.undecided);
  const auto result = judge::evaluate_gate(findings, rules, only);
  const int status = print_gate(result, findings.design, asked);
  const auto* failing = failing_cell(result, findings.design);
  if (rules.where && asked.second.empty() && failing != nullptr)
    print_where(found, record, findings, result, *failing, asked);
  return status;
}

}  // namespace

Gate gate_of(const Design& design, const std::string& allow, const std::string& undecided) {
  Gate rules;
  if (!design.plan.empty() && !design.folder.empty())
    rules = plan::read(design.plan, "the campaign's plan", design.folder).gate;
  return with_asked(rules, allow, undecided);
}

void add_gate(CLI::App& app, Action& action) {
  auto* command = app.add_subcommand("gate", "for CI: does the campaign pass?");
  auto asked = std::make_shared<GateOptions>();
  app::add_campaign(*command, asked->campaign, asked->ledger);
  command->add_option("OTHER", asked->second, "a second campaign, compared with the first; needs --apart");
  command->add_flag("--apart", asked->apart, "apply the gate to campaigns that were measured separately");
  command->add_flag(
      "--trend", asked->trend,
      "the newest commits of a plan's history, as assay trend has measured it; PLAN in place of CAMPAIGN");
  command->add_option("--newest", asked->newest, "how many commits --trend looks at (default 10)")
      ->needs("--trend")
      ->check(CLI::PositiveNumber);
  command->add_option("--wait", asked->wait,
                      "wait so long for the end of the campaign, like 40min: others measure it");
  app::add_allow(*command, asked->allow);
  command->add_option("--undecided", asked->undecided, "pass (default) or fail")
      ->check(CLI::IsMember({"pass", "fail"}));
  app::add_junit(*command, asked->junit);
  command->add_flag("--all", asked->all, "name what passed too");
  app::add_only(*command, asked->only);
  command->footer(gate_examples);
  command->callback([asked, &action] { action = [asked] { return gate(*asked); }; });
}

}  // namespace assay::cli
