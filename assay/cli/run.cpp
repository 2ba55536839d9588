#include <CLI/CLI.hpp>
#include <cstdlib>
#include <filesystem>
#include <iostream>
#include <memory>

#include "assay/cli/command.hpp"
#include "assay/cli/comparing.hpp"
#include "assay/cli/whereabouts.hpp"
#include "assay/plan/matrix.hpp"
#include "assay/plan/read.hpp"
#include "assay/plan/validate.hpp"
#include "assay/render/units.hpp"

namespace assay::cli {
namespace {

constexpr const char* examples = R"(  assay run                      carries out assay.toml in this folder
  assay run --show plans/a.toml  prints what would be run, and runs nothing
  assay run --rounds 40          with another number of rounds than the plan's

A plan says what is compared; the smallest one (docs/plan-file.md has the rest):

  [[candidate]]
  name = "old"
  exe  = "./old"
  [[candidate]]
  name = "new"
  exe  = "./new"
  [[workload]]
  name  = "orders"
  run   = ["${exe}", "orders.txt"]
  check = { equal = "stdout", match = "^total" }

Every trial is kept in .assay/ledger.db beside the plan.)";

/// A command with its program as seen from the plan's folder, where every trial runs.
std::vector<std::string> as_in_plan(std::vector<std::string> command, const std::string& folder) {
  if (command.front().starts_with(folder + "/")) command.front().erase(0, folder.size() + 1);
  return command;
}

void show_cells(const Plan& plan) {
  const auto cells = plan::expand_cells(plan);
  const auto baseline = plan::baseline_of(plan);
  std::cout << cells.size() << " cells, " << plan::contrasts_of(cells, plan).size() << " comparisons with "
            << plan.candidates[baseline.place()].name << ", "
            << (plan.rounds.min < plan.rounds.max ? std::to_string(plan.rounds.min) + " to " : "")
            << plan.rounds.max << " rounds after the warm-up"
            << (plan.rounds.budget ? ", at most " + render::span_text(*plan.rounds.budget) : "") << "\n";
  std::string group;
  for (const auto& planned : cells) {
    const auto setting = planned.cell.setting.text();
    const auto here =
        plan.workloads[planned.cell.workload.place()].name + (setting.empty() ? "" : ", " + setting);
    if (here != group) std::cout << "\n" << here << "\n";
    group = here;
    std::cout << "  " << plan.candidates[planned.cell.candidate.place()].name << ": "
              << typed(as_in_plan(planned.command, plan.folder)) << "\n";
  }
}

struct Asked {
  std::string plan = "assay.toml", rounds, budget, ledger, when_busy = "wait";
  bool show = false, json = false;
};

int run(const Asked& asked) {
  auto plan = plan::read_file(asked.plan);
  if (!asked.rounds.empty()) {
    const auto budget = plan.rounds.budget;
    plan.rounds = parse_rounds(asked.rounds);
    plan.rounds.budget = budget;
    plan::validate(plan, {{"rounds.max", "--rounds"}, {"rounds.min", "--rounds"}});
  }
  if (!asked.budget.empty()) plan.rounds.budget = parse_budget(asked.budget);
  if (asked.show) {
    show_cells(plan);
    return exit_done;
  }
  return compare(plan, {.kind = "plan",
                        .ledger = asked.ledger.empty() ? plan_ledger(asked.plan) : asked.ledger,
                        .repeat = typed({"assay", "run", asked.plan}),
                        .when_busy = asked.when_busy,
                        .json = asked.json});
}

}  // namespace

void add_when_busy(CLI::App& command, std::string& choice) {
  command
      .add_option("--when-busy", choice,
                  "while another campaign measures on this machine: wait (the default) or go-on")
      ->check([](const std::string& word) {
        return word == "wait" || word == "go-on" ? std::string{}
                                                 : "\"" + word + "\" is neither wait nor go-on";
      });
  if (const char* set = std::getenv("ASSAY_WHEN_BUSY"); set != nullptr && std::string(set) == "go-on")
    choice = set;
}

void add_run(CLI::App& app, Action& action) {
  auto* command = app.add_subcommand("run", "carry out a plan file");
  auto asked = std::make_shared<Asked>();
  command->add_option("PLAN", asked->plan, "the plan file (default assay.toml)");
  command->add_flag("--show", asked->show, "print the cells and their commands, and run nothing");
  command->add_option("--rounds", asked->rounds, "judged rounds, like 7..60, in place of the plan's");
  command->add_option("--budget", asked->budget, "measuring time, like 5min, in place of the plan's");
  add_when_busy(*command, asked->when_busy);
  command->add_option("--ledger", asked->ledger, "the ledger that keeps the runs");
  command->add_flag("--json", asked->json, "print the findings document");
  command->footer(examples);
  command->callback([asked, &action] { action = [asked] { return run(*asked); }; });
}

}  // namespace assay::cli
