#include <CLI/CLI.hpp>
#include <iostream>
#include <memory>

#include "assay/app/progress.hpp"
#include "assay/cli/command.hpp"
#include "assay/cli/find_campaign.hpp"
#include "assay/cli/run_comparison.hpp"
#include "assay/error.hpp"
#include "assay/history.hpp"

namespace assay::cli {
namespace {

constexpr const char* trend_examples =
    R"(  assay trend                           measures what is missing of the history, for ten minutes, and shows it
  assay trend --show                    what the ledger has, and measures nothing
  assay trend --every 5 --budget 1h     each fifth commit first
  assay trend --page history.html       a page with charts besides

Every commit is measured beside the reference commit, which the plan names, or --reference:

  [history]
  reference = "v1.0"     # all commits after it are compared with it
  branch    = "main"     # default HEAD
  every     = 5          # default 1
  keep      = 50         # campaigns that keep their trials; older ones are reduced to their values

A step that the history suggests is claimed only after a campaign of its own of the commits on either side.)";

struct TrendCommandOptions {
  std::string plan = "assay.toml", reference, branch, since, metric, only, budget = "10min", page, ledger,
              when_busy = "wait";
  int every = 0;
  bool show = false, retry = false, json = false;
};

/// `command`: the one that goes on with this.
int trend(const TrendCommandOptions& asked, const std::string& command) {
  auto plan = read_plan_of_commits(asked.plan);
  if (!asked.reference.empty()) plan.history.reference = asked.reference;
  if (!asked.branch.empty()) plan.history.branch = asked.branch;
  if (asked.every > 0) plan.history.every = asked.every;
  if (plan.history.reference.empty())
    throw Error("no reference commit is given", asked.plan,
                "name one in [history] reference = \"v1.0\", or with --reference");
  app::StopOnSignals stopping;
  Remembering<app::HistoryProgress> progress;
  const auto history =
      history::trend(plan,
                     {.reference = plan.history.reference,
                      .branch = plan.history.branch,
                      .since = asked.since,
                      .every = plan.history.every,
                      .only = parse_cell_filter(asked.only),
                      .metric = asked.metric,
                      .measures = !asked.show,
                      .retries = asked.retry,
                      .budget = app::parse_budget(asked.budget),
                      .keep = plan.history.keep},
                     {.ledger = ledger_asked(asked.ledger, [&] { return plan_ledger(asked.plan); }),
                      .repeat_command = command,
                      .when_busy = app::when_busy_of(asked.when_busy),
                      .observer = &progress,
                      .stop = stopping.token()});
  progress.clear();
  std::cout << (asked.json ? to_json(history) : to_text(history));
  if (!asked.page.empty()) {
    write_file(asked.page, to_page(history), "the page");
    std::cerr << "assay: wrote " << asked.page << "\n";
  }
  if (history.interrupted) {
    std::cerr << "assay: kept; the same command goes on\n";
    return app::exit_interrupted;
  }
  if (history.lines.empty()) {
    std::cerr << "assay: nothing of this history has been measured yet\n";
    return app::exit_nothing_measured;
  }
  if (history.missing > 0 && !asked.show)
    std::cerr << "assay: " << history.missing
              << " commits are missing yet; the same command goes on with them\n";
  return app::exit_done;
}

}  // namespace

void add_trend(CLI::App& app, Action& action) {
  auto* command = app.add_subcommand("trend", "a project over its commits: what got slower, and when");
  auto asked = std::make_shared<TrendCommandOptions>();
  command->add_option("PLAN", asked->plan,
                      "the plan file (default assay.toml); its [build] says how commits are built");
  command->add_option("--reference", asked->reference,
                      "the commit that all are compared with, in place of the plan's");
  command->add_option("--branch", asked->branch,
                      "where the history ends, in place of the plan's (default HEAD)");
  command->add_option("--since", asked->since,
                      "the oldest commit that is measured (default: the one after the reference)");
  command->add_option("--every", asked->every, "measure each so many commits, counted from the newest")
      ->check(CLI::PositiveNumber);
  command->add_option("--metric", asked->metric, "show this one only, like \"wall time\"");
  app::add_only(*command, asked->only);
  app::add_budget(*command, asked->budget, " (default 10min); the same command goes on later");
  command->add_flag("--show", asked->show, "show what there is, and measure nothing");
  command->add_flag("--retry", asked->retry, "try once more what could not be measured");
  command->add_option("--page", asked->page, "write a page with charts to this file besides");
  app::add_when_busy(*command, asked->when_busy);
  app::add_ledger(*command, asked->ledger);
  app::add_json(*command, asked->json, "the history as a JSON document");
  command->footer(trend_examples);
  command->callback([command, asked, &action] {
    std::vector<std::string> words = {"assay", "trend"};
    for (auto& word :
         app::given_options(*command, {"--budget", "--show", "--retry", "--page", "--when-busy", "--json"}))
      words.push_back(std::move(word));
    words.push_back(asked->plan);
    action = [asked, repeat = app::shell_quoted(words)] { return trend(*asked, repeat); };
  });
}

}  // namespace assay::cli
