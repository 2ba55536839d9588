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
  bool show = false, json = false, resume = false;
};

void show_builds(const Plan& plan) {
  const auto setting = all_settings(plan.factors).front();
  for (std::size_t i = 0; i < plan.candidates.size(); ++i) {
    const auto& candidate = plan.candidates[i];
    if (candidate.build.steps.empty()) continue;
    std::cout << "\n"
              << candidate.name << " is built from "
              << (candidate.commit.empty()  ? "the source"
                  : candidate.commit == "." ? "the working tree"
                                            : "commit " + candidate.commit)
              << " in " << (candidate.source.empty() ? "the plan's folder" : candidate.source) << "\n";
    for (const auto& step : plan::expand_steps(plan, CandidateId{static_cast<std::int64_t>(i)}, setting))
      std::cout << "  " << app::shell_quoted(step) << "\n";
  }
}

std::string lives_of(ServerLifetime keep) {
  switch (keep) {
    case ServerLifetime::automatic:
      return "servers are restarted for each round, unless that takes too long";
    case ServerLifetime::round:
      return "servers are restarted for each round";
    case ServerLifetime::trial:
      return "a server is started for each trial";
    case ServerLifetime::session:
      return "servers are kept up";
  }
  return {};
}

/// "8 to 60 rounds"; of as many as there is time for "8 rounds or more".
std::string rounds_text(const PlannedRounds& rounds) {
  const auto least = std::to_string(rounds.min);
  if (rounds.max >= PlannedRounds::open_end) return least + " rounds or more";
  return (rounds.min < rounds.max ? least + " to " : "") + std::to_string(rounds.max) + " rounds";
}

/// What a service is asked, and by whom; `servers` of them together.
std::string load_of(const PlannedWorkload& workload, const plan::PlannedCell& planned,
                    const std::string& folder, std::ptrdiff_t servers) {
  if (!workload.requests)
    return "  asked by " + app::shell_quoted(plan::display_command(planned.client, folder)) + "; " +
           lives_of(ServerLifetime::trial) + "\n";
  const auto& requests = *workload.requests;
  const auto& serving = *planned.serving;
  auto text = "  asked for " + (serving.file.empty() ? serving.path : "what is in " + serving.file) + ": " +
              (requests.count > 0 ? std::to_string(requests.count) + " requests a trial, "
                                  : "as many requests a trial as take a second, ");
  if (serving.clients)
    text +=
        std::to_string(*serving.clients) + (*serving.clients == 1 ? " client" : " clients") + " at a time";
  else
    text += requests.arrivals + ", whether or not replies have come";
  text += "; " + lives_of(workload.service->keep);
  if (requests.count > 0)
    text += "; a round is " + std::to_string(servers) + (servers == 1 ? " server" : " servers") + " and " +
            std::to_string(servers * requests.count) + " requests";
  return text + "\n";
}

void show_cells(const Plan& plan) {
  const auto cells = plan::expand_cells(plan);
  const auto comparisons = plan::comparisons_of(cells, plan);
  const auto baselines = plan::baselines_of(plan);
  std::cout << cells.size() << " cells, " << comparisons.size()
            << (comparisons.size() == 1 ? " comparison with " : " comparisons with ")
            << (baselines.size() == 1 ? plan.candidate(baselines.front()).name : "their baselines") << ", "
            << (plan.rounds.twin ? "a twin of each baseline beside them, " : "") << rounds_text(plan.rounds)
            << " after the warm-up"
            << (plan.rounds.budget ? ", at most " + duration(*plan.rounds.budget) : "") << "\n";
  show_builds(plan);
  std::string group;
  for (const auto& planned : cells) {
    const auto setting = planned.cell.setting.text();
    const auto here = plan.workload(planned.cell.workload).name + (setting.empty() ? "" : ", " + setting);
    if (here != group) {
      std::cout << "\n" << here << "\n";
      const auto servers = std::ranges::count_if(cells, [&](const plan::PlannedCell& other) {
        return other.state.is_ok() && other.cell.workload == planned.cell.workload &&
               other.cell.setting == planned.cell.setting;
      });
      if (planned.serving)
        std::cout << load_of(plan.workload(planned.cell.workload), planned, plan.folder, servers);
    }
    group = here;
    std::cout << "  " << plan.candidate(planned.cell.candidate).name << ": "
              << (planned.state.is_ok()
                      ? app::shell_quoted(plan::display_command(planned.command, plan.folder))
                      : "absent, " + planned.state.detail)
              << "\n";
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
  app::add_when_busy(*command, asked->when_busy);
  app::add_ledger(*command, asked->ledger);
  app::add_json(*command, asked->json);
  command->footer(run_examples);
  command->callback([command, asked, &action] {
    const auto repeated = app::given_options(
        *command, {"--rounds", "--budget", "--resume", "--when-busy", "--ledger", "--json"});
    const auto resumed = app::given_options(*command, {"--resume", "--when-busy", "--json"});
    action = [asked, repeated, resumed] { return run(*asked, repeated, resumed); };
  });
}

}  // namespace assay::cli
