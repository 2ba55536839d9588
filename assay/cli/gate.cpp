#include "assay/judge/gate.hpp"

#include <CLI/CLI.hpp>
#include <fstream>
#include <iostream>
#include <memory>

#include "assay/cli/command.hpp"
#include "assay/cli/comparing.hpp"
#include "assay/cli/whereabouts.hpp"
#include "assay/judge/findings.hpp"
#include "assay/judge/keep_only.hpp"
#include "assay/model/error.hpp"
#include "assay/model/quantity.hpp"
#include "assay/plan/read.hpp"
#include "assay/render/gate.hpp"

namespace assay::cli {
namespace {

constexpr const char* gate_examples =
    R"(  assay gate                          the last campaign, by the [gate] of its plan
  assay gate --allow 2% --undecided fail
  assay gate --junit gate.xml         the reasons as JUnit XML besides

Exit status 0 when it passes, 1 when it does not. Allowed is what the gate says, else each metric's margin; it passes
when the interval's bad end lies within that, fails when the change is called worse beyond it, and is undecided in
between: said loudly either way, and let pass unless told to fail.)";

struct GateAsked {
  std::string campaign = "last", ledger, only, allow, undecided, junit;
  bool all = false;
};

int gate(const GateAsked& asked) {
  auto found = find_campaign(asked.campaign, asked.ledger);
  const auto record = found.ledger.read(found.campaign.id);
  auto findings = judge::judge_record(record);
  const auto only = parse_only(asked.only);
  judge::keep_only(findings, only);
  if (record.info.kind == "import" && record.rounds.empty())
    throw Error("these samples did not run side by side, so no gate holds them", "gate",
                "give them rounds, or look at assay verdict");
  const auto rules = gate_of(record, asked.allow, asked.undecided);
  const auto result = judge::hold_against(findings, rules, only);
  std::cout << render::to_text(result, asked.all);
  if (!asked.junit.empty()) {
    std::ofstream file(asked.junit);
    file << render::to_junit(result, findings.campaign.title);
    file.close();
    if (!file)
      throw Error("the reasons can't be written here", asked.junit, "look at the folder and the disk");
  }
  return result.passes ? exit_done : exit_gate;
}

}  // namespace

Gate gate_of(const Record& record, const std::string& allow, const std::string& undecided) {
  Gate rules;
  if (!record.info.plan.empty() && !record.info.folder.empty())
    rules = plan::read(record.info.plan, "the campaign's plan", record.info.folder).gate;
  if (!allow.empty()) try {
      rules.allow = parse_share(allow);
    } catch (const Error& error) {
      throw Error(error.problem(), "--allow", error.remedy());
    }
  if (!undecided.empty()) rules.undecided_passes = undecided == "pass";
  return rules;
}

void add_gate(CLI::App& app, Action& action) {
  auto* command = app.add_subcommand("gate", "for CI: does the campaign pass?");
  auto asked = std::make_shared<GateAsked>();
  command->add_option("CAMPAIGN", asked->campaign, "last (default), a name, or the beginning of an id");
  command->add_option("--allow", asked->allow, "the change to the worse that is let pass, like 2%");
  command->add_option("--undecided", asked->undecided, "pass (default) or fail")
      ->check(CLI::IsMember({"pass", "fail"}));
  command->add_option("--junit", asked->junit, "write the reasons to this file as JUnit XML");
  command->add_flag("--all", asked->all, "name what passed too");
  add_only(*command, asked->only);
  command->add_option("--ledger", asked->ledger, "the ledger to look in");
  command->footer(gate_examples);
  command->callback([asked, &action] { action = [asked] { return gate(*asked); }; });
}

}  // namespace assay::cli
