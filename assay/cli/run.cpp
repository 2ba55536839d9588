#include <CLI/CLI.hpp>
#include <algorithm>
#include <cstddef>
#include <cstdlib>
#include <filesystem>
#include <iostream>
#include <memory>

#include "assay/cli/command.hpp"
#include "assay/cli/find_campaign.hpp"
#include "assay/cli/run_comparison.hpp"
#include "assay/cli/show_plan.hpp"
#include "assay/plan.hpp"
#include "assay/report.hpp"

namespace assay::cli {
namespace {

constexpr const char* run_examples = R"(  assay run                      carries out assay.toml in this folder
  assay run --show plans/a.toml  prints what would be run, and runs nothing
  assay run --rounds 40          with another number of rounds than the plan's
  assay run --candidates main,HEAD,.      compares commits and the working tree, built as [build] says
  assay run --only workload=orders,locks=800     a part of the plan
  assay run --resume             goes on after Ctrl-C, a kill or a full disk
  assay run --open               lays it down for other machines, which measure it: assay join

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

struct RunCommandOptions {
  PlanOptions plan;
  std::string ledger, when_busy = "wait";
  bool show = false, json = false, resume = false, open = false;
};

/// Lays the campaign down for those who join it, and prints its id.
int open(const Plan& plan, const RunCommandOptions& asked, const std::string& repeat) {
  if (asked.resume)
    throw Error("--open lays a new campaign down, and --resume goes on with one", "run",
                "leave one of them out");
  RunContext watching({.kind = CampaignKind::plan,
                       .ledger = ledger_asked(asked.ledger, [&] { return plan_ledger(asked.plan.file); }),
                       .repeat_command = repeat,
                       .when_busy = asked.when_busy,
                       .confirms_uid = {},
                       .resume_command = {}});
  try {
    watching.options().invites = false;  // printed below
    const auto design = setup::open_plan(plan, watching.run(), watching.options());
    watching.progress().clear();
    std::cout << design.uid << "\n";
    std::cerr << "assay: nothing is measured yet; any number of machines do: assay join "
              << short_uid(design.uid) << "\n";
    return app::exit_done;
  } catch (const model::Cancelled&) {
    return app::exit_interrupted;
  }
}

/// `repeated`: the options that measure this again. A finding that needs more rounds or time names its own.
int run(const RunCommandOptions& asked, const std::vector<std::string>& repeated,
        const std::vector<std::string>& resumed) {
  const auto plan = read_plan(asked.plan);
  if (asked.show) {
    show_cells(plan);
    return app::exit_done;
  }
  const auto command = [&](std::vector<std::string> words, const std::vector<std::string>& options) {
    words.insert(words.end(), options.begin(), options.end());
    words.push_back(asked.plan.file);
    return app::shell_quoted(words);
  };
  if (asked.open) return open(plan, asked, command({"assay", "run"}, repeated));
  return compare(plan, {.kind = CampaignKind::plan,
                        .ledger = ledger_asked(asked.ledger, [&] { return plan_ledger(asked.plan.file); }),
                        .repeat_command = command({"assay", "run"}, repeated),
                        .when_busy = asked.when_busy,
                        .json = asked.json,
                        .resume = asked.resume,
                        .confirms_uid = {},
                        .resume_command = command({"assay", "run", "--resume"}, resumed)});
}

}  // namespace

void add_run(CLI::App& app, Action& action) {
  auto* command = app.add_subcommand("run", "carry out a plan file");
  auto asked = std::make_shared<RunCommandOptions>();
  add_plan_options(*command, asked->plan);
  app::add_resume(*command, asked->resume);
  command->add_flag("--show", asked->show, "print the cells and their commands, and run nothing");
  command->add_flag(
      "--open", asked->open,
      "build, check and lay the campaign down, print its id, and measure nothing: assay join does");
  app::add_when_busy(*command, asked->when_busy);
  app::add_ledger(*command, asked->ledger);
  app::add_json(*command, asked->json);
  command->footer(run_examples);
  command->callback([command, asked, &action] {
    const auto repeated = app::given_options(
        *command, {"--rounds", "--budget", "--resume", "--open", "--when-busy", "--ledger", "--json"});
    const auto resumed = app::given_options(*command, {"--resume", "--when-busy", "--json"});
    action = [asked, repeated, resumed] { return run(*asked, repeated, resumed); };
  });
}

}  // namespace assay::cli
