#include <CLI/CLI.hpp>
#include <cmath>
#include <iostream>
#include <memory>

#include "assay/app/progress.hpp"
#include "assay/cli/command.hpp"
#include "assay/cli/find_campaign.hpp"
#include "assay/cli/run_comparison.hpp"
#include "assay/error.hpp"
#include "assay/history.hpp"
#include "assay/where.hpp"

namespace assay::cli {
namespace {

constexpr const char* locate_examples =
    R"(  assay locate --good v1.2                      what made HEAD worse than v1.2, by the plan in this folder
  assay locate --good v1.2 --bad v1.3 --metric "cpu time" --only workload=orders
  assay locate --good v1.2 --show               which commits those are, and what the search would cost

First good against bad: is there a change at all? Then pairs of runs, one at a time, of the commit that promises
most beside the good one, until one is sure enough, and that one against its parent in a campaign of its own. What
doesn't build, or does the work wrong, tells nothing, and the answer may be a run of commits. Where a time
changed, rounds that are sampled then name the functions. Interrupted, the same command goes on: every pair is in the
ledger.

Exit status: 0 found and confirmed, 1 not, 2 the request is wrong, 3 nothing could be measured, 130 interrupted.)";

struct LocateCommandOptions {
  std::string plan = "assay.toml", good, bad = "HEAD", metric, workload, only, step, sure, budget, rounds,
              ledger, when_busy = "wait";
  bool better = false, all = false, ignore_earlier = false, show = false, json = false, no_where = false;
};

double share_of(const std::string& text, const std::string& option) {
  try {
    return parse_percent(text);
  } catch (const Error& error) {
    throw Error(error.problem(), option, error.remedy());
  }
}

void show_outline(const SearchOutline& outline, const LocateCommandOptions& asked) {
  constexpr std::size_t most = 12;
  const auto count = outline.commits.size();
  std::cout << count << (count == 1 ? " commit" : " commits") << " may have done it";
  if (outline.merges > 0)
    std::cout << ", " << outline.merges << " of them merges"
              << (asked.all ? "" : " (--all looks into their branches)");
  std::cout << ":\n";
  for (std::size_t i = 0; i < count; ++i) {
    if (count > most && i == most / 2) std::cout << "  … " << count - most << " more\n";
    if (count > most && i >= most / 2 && i < count - most / 2) continue;
    std::cout << "  " << report::commit_text(outline.commits[i]) << "\n";
  }
  std::cout << "First " << asked.good << " against " << asked.bad
            << ". Then, by how large the change is beside the scatter of a pair of runs, at least:\n";
  for (const auto& [effect, pairs] : outline.pairs)
    std::cout << "  " << effect << (effect == 1 ? " standard deviation:  " : " standard deviations: ")
              << std::max(1L, std::lround(std::ceil(pairs))) << " pairs\n";
  std::cout << "of about " << static_cast<int>(std::ceil(std::log2(static_cast<double>(count)))) + 1
            << " commits, each built once, and a campaign of the answer against its parent.\n";
}

/// Searches and prints the answer, or only what a search would cost: then nothing is returned.
std::optional<CommitSearchResult> search(const LocateCommandOptions& asked, const std::string& command) {
  if (asked.good == asked.bad)
    throw Error("good and bad are the same commit", "locate", "name two, the good one the older");
  auto plan = read_plan_of_commits(asked.plan);
  if (!asked.rounds.empty()) {
    const auto rounds = app::parse_rounds(asked.rounds);
    plan.rounds.min = rounds.min;
    plan.rounds.max = rounds.max;
    plan::validate(plan, {{"rounds.max", "--rounds"}, {"rounds.min", "--rounds"}});
  }
  app::StopOnSignals stopping;
  Remembering<app::HistoryProgress> progress;
  LocateOptions options{.good = asked.good,
                        .bad = asked.bad,
                        .metric = asked.metric,
                        .only = parse_cell_filter(asked.only),
                        .better = asked.better,
                        .into_merges = asked.all,
                        .ignore_earlier = asked.ignore_earlier};
  const engine::RunOptions run{.ledger = ledger_asked(asked.ledger, [&] { return plan_ledger(asked.plan); }),
                               .repeat_command = command,
                               .when_busy = app::when_busy_of(asked.when_busy),
                               .observer = &progress,
                               .stop = stopping.token()};
  if (!asked.workload.empty()) options.only.allowed["workload"] = {asked.workload};
  if (!asked.step.empty()) options.step = share_of(asked.step, "--step");
  if (!asked.sure.empty()) options.promise = share_of(asked.sure, "--sure");
  if (!(options.promise > 0.5 && options.promise < 1))
    throw Error("that is no probability to be sure at", "--sure",
                "write one between 50 % and 100 %, like 95%");
  if (!asked.budget.empty()) options.budget = app::parse_budget(asked.budget);
  if (asked.show) {
    show_outline(outline_search(plan, options, run), asked);
    return {};
  }
  auto found = history::locate(plan, options, run);
  progress.clear();
  std::cout << (asked.json ? to_json(found) : to_text(found));
  if (found.interrupted) std::cerr << "assay: kept; to go on: " << run.repeat_command << "\n";
  return found;
}

/// `command`: the one that repeats or goes on with this.
int locate(const LocateCommandOptions& asked, const std::string& command) {
  const auto found = search(asked, command);
  if (!found) return app::exit_done;
  if (found->interrupted) return app::exit_interrupted;
  if (found->status != CommitSearchResult::Status::found || found->steps.empty() ||
      !found->steps.front().confirmed)
    return exit_gate;
  const auto& confirmation = found->steps.front().confirmation;
  if (confirmation && !asked.json && !asked.no_where && is_time(found->metric)) {
    const auto ledger = ledger_asked(asked.ledger, [&] { return plan_ledger(asked.plan); });
    if (show_where(confirmation->campaign, ledger, asked.when_busy, {}) == app::exit_interrupted)
      return app::exit_interrupted;
  }
  return app::exit_done;
}

}  // namespace

void add_locate(CLI::App& app, Action& action) {
  auto* command = app.add_subcommand("locate", "find the commit that made it slower");
  auto asked = std::make_shared<LocateCommandOptions>();
  command->add_option("PLAN", asked->plan,
                      "the plan file (default assay.toml); its [build] says how commits are built");
  command->add_option("--good", asked->good, "a commit before the change, as git names it")->required();
  command->add_option("--bad", asked->bad, "one after it (default HEAD)");
  command->add_option("--metric", asked->metric,
                      "what changed, like \"cpu time\" (default: what shows it most clearly)");
  command->add_option("--workload", asked->workload, "where (default: where it shows most clearly)");
  app::add_only(*command, asked->only);
  command->add_option(
      "--step", asked->step,
      "the smallest change that is looked for, like 2% (default: half of what good and bad differ by)");
  command->add_option("--sure", asked->sure,
                      "how sure to be of the answer before it is confirmed (default 95%)");
  command->add_flag("--better", asked->better, "look for what made it better");
  command->add_flag("--all", asked->all, "look into the branch of a merge that did it");
  app::add_budget(*command, asked->budget, " (default: as long as the search takes)");
  app::add_rounds(*command, asked->rounds,
                  ", of good against bad and of the confirmation, in place of the plan's");
  command->add_flag("--ignore-earlier", asked->ignore_earlier,
                    "leave out what earlier searches have measured");
  command->add_flag("--show", asked->show,
                    "print the commits and what the search would cost, and run nothing");
  command->add_flag("--no-where", asked->no_where,
                    "leave out the functions behind it, which sampled rounds of the answer name");
  app::add_when_busy(*command, asked->when_busy);
  app::add_ledger(*command, asked->ledger);
  app::add_json(*command, asked->json, "the answer as a JSON document");
  command->footer(locate_examples);
  command->callback([command, asked, &action] {
    std::vector<std::string> words = {"assay", "locate"};
    for (auto& word :
         app::given_options(*command, {"--budget", "--ignore-earlier", "--show", "--when-busy", "--json"}))
      words.push_back(std::move(word));
    words.push_back(asked->plan);
    action = [asked, repeat = app::shell_quoted(words)] { return locate(*asked, repeat); };
  });
}

}  // namespace assay::cli
