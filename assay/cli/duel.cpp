#include <CLI/CLI.hpp>
#include <algorithm>
#include <filesystem>
#include <iostream>
#include <memory>

#include "assay/cli/command.hpp"
#include "assay/cli/duel_to_plan.hpp"
#include "assay/cli/find_campaign.hpp"
#include "assay/cli/run_comparison.hpp"
#include "assay/error.hpp"
#include "assay/plan.hpp"

namespace assay::cli {
namespace {

constexpr const char* duel_examples =
    R"(Everything before the first command is an option of the duel; the commands are parted by the word vs,
and the first is the baseline. Nothing passes through a shell; who wants one writes sh -c '...'.

  assay duel ./old in.txt vs ./new in.txt
  assay duel --stdin orders.txt --equal ./list vs ./heap vs ./goal
  assay duel --margin 5% --names fast,small gzip -1 -c log vs gzip -9 -c log
  assay duel --match '^total' --rounds 30 ./old vs ./new
  assay duel --serve /plan ./old --port PORT vs ./new --port PORT

Commits are built in a cache and run by one command; CMake, Meson, Make, Cargo, Go and npm projects are known by
their files, and --build says how anything else is built. A whole job in CI:

  assay duel --commits main,. -- '${out}/towpath' plan net.txt orders.txt
  assay duel --commits merge-base:main,HEAD --equal --allow 2% --junit gate.xml -- '${out}/towpath' plan net.txt

The verdicts: + better, ! worse, = same (no change as large as the margin), ? unclear (measure more).)";

void save(const Plan& plan, const std::string& path) {
  if (std::filesystem::exists(path))
    throw Error("this file is there already", path, "choose another name, or move it away");
  Plan portable = plan;
  portable.folder.clear();
  write_file(path, plan::to_toml(portable), "the plan");
  std::cerr << "assay: wrote " << path << "; assay run " << path << " carries it out\n";
}

/// `given`: the options as they were typed, for the command that repeats the duel.
int duel(const DuelOptions& asked, const std::vector<std::string>& given,
         const std::vector<std::string>& words) {
  if (asked.where && (asked.json || asked.contest))
    throw Error("functions are looked for in programs and servers, and shown as text", "--where",
                "leave out --json and --contest");
  const auto plan = plan_of_duel(asked, words);
  if (!asked.save_plan.empty()) {
    save(plan, asked.save_plan);
    return app::exit_done;
  }
  std::vector<std::string> again = {"assay", "duel"};
  again.insert(again.end(), given.begin(), given.end());
  if (!asked.commits.empty()) again.emplace_back("--");
  again.insert(again.end(), words.begin(), words.end());
  const auto ledger = ledger_asked(
      asked.ledger, [&] { return asked.commits.empty() ? state_ledger() : plan_ledger("./assay.toml"); });
  const auto variables = values_only(asked.environment);
  std::string uid;
  const int status = compare(plan,
                             {.kind = CampaignKind::duel,
                              .ledger = ledger,
                              .repeat_command = app::shell_quoted(again),
                              .when_busy = asked.when_busy,
                              .json = asked.json,
                              .confirms_uid = {},
                              .resume_command = {},
                              .variables = variables,
                              .applies_gate = !asked.allow.empty() || !asked.junit.empty(),
                              .junit = asked.junit},
                             &uid);
  if (!asked.where || (status != app::exit_done && status != exit_gate)) return status;
  const int then = show_where(uid, ledger, asked.when_busy, variables);
  return then == app::exit_interrupted ? then : status;
}

}  // namespace

void add_duel(CLI::App& app, Action& action) {
  auto* command = app.add_subcommand(
      "duel", "compare commands at once: assay duel [OPTIONS] COMMAND [ARG ...] vs COMMAND [ARG ...] ...");
  auto asked = std::make_shared<DuelOptions>();
  app::add_rounds(
      *command, asked->rounds,
      " (default: from 8 on, from 2 where cheap commands run several times in each, until the budget "
      "ends)");
  app::add_budget(
      *command, asked->budget,
      " (default 60s; in a terminal, when that is too short for a verdict, as long as the first takes); "
      "it ends sooner when all is decided");
  app::add_precise(*command, asked->precise);
  app::add_margin(*command, asked->margin, " (default 1%)");
  command->add_option("--names", asked->names, "names for the commands, with commas between");
  command->add_option("--stdin", asked->stdin_file, "a file that every command reads as its standard input");
  command->add_flag("--equal", asked->equal,
                    "outputs must be the baseline's (else a difference is only noted)");
  command->add_option("--match", asked->match, "a regular expression that must occur in every output");
  command->add_option("--exit-ok", asked->exit_ok, "exit statuses of success, like 0,1 (default 0)");
  command->add_option("--timeout", asked->timeout, "longest time for one run, like 30s (default 10 min)");
  command
      ->add_option("--watch", asked->watch,
                   "metrics that verdicts are about, with commas between; may be repeated (default: wall "
                   "time, with CPU time beside it)")
      ->multi_option_policy(CLI::MultiOptionPolicy::Join)
      ->delimiter(',')
      ->expected(1)
      ->allow_extra_args(false);
  app::add_ways(*command, asked->way);
  command->add_flag("--where", asked->where,
                    "then say which functions are behind a change of time: further rounds, sampled");
  command->add_option("--work", asked->work, "what one run does, like '500 routes'; gives throughput");
  command->add_option("--before", asked->before,
                      "a command run before each trial, untimed; quotes group words");
  command->add_option("--after", asked->after, "a command run after each trial, untimed");
  command->add_flag("--fresh", asked->fresh, "an empty working directory of its own for each trial");
  command->add_option("--pause", asked->pause, "a pause before each trial, like 50ms");
  command
      ->add_option("--cold", asked->cold,
                   "a file dropped from the page cache before each trial; may be repeated")
      ->take_all()
      ->expected(1)
      ->allow_extra_args(false);
  command->add_option("--cores", asked->cores, "the cores that trials may run on, like 0,1");
  command->add_option("--nice", asked->nice, "added to the trials' niceness")->check(CLI::Range(-40, 40));
  command->add_option("--env", asked->environment,
                      "the only variables passed on: names or NAME=value, with commas between; - for none");
  command->add_flag("--keep-env", asked->keep_env,
                    "keep and show the values given with --env; else their names alone");
  command->add_option("--memory-limit", asked->memory_limit,
                      "how much data each process of a trial may hold, like 512MiB");
  command->add_flag("--contest", asked->contest,
                    "the commands are contest programs, or write samples: compare each of their functions");
  command->add_flag("--discard", asked->discard,
                    "measured trials' output goes nowhere (checks still see it)");
  command->add_option("--serve", asked->serve,
                      "the commands start servers, which are asked for this path, or what this file says (a "
                      "request a line, as JSON); PORT in the commands is their port");
  auto* serve = command->get_option("--serve");
  command
      ->add_option("--clients", asked->clients,
                   "clients that ask at a time, each one thing after the other (4)")
      ->needs(serve);
  command->add_option("--rate", asked->rate, "a rate of requests in place of clients, like 200/s")
      ->needs(serve);
  command
      ->add_option("--requests", asked->requests,
                   "requests to each server in a round (default: what takes a second, at least 1000)")
      ->needs(serve)
      ->check(CLI::PositiveNumber);
  command
      ->add_option("--ready", asked->ready,
                   "a path that is answered once a server is ready (default: its port)")
      ->needs(serve);
  command
      ->add_option("--identify", asked->identify,
                   "a path that says what serves, to be sure that it is the right one")
      ->needs(serve);
  for (const char* of_programs :
       {"--stdin", "--exit-ok", "--work", "--abreast", "--slices", "--discard", "--pause", "--contest"})
    serve->excludes(command->get_option(of_programs));
  for (const char* of_servers : {"--serve", "--clients", "--rate", "--requests", "--ready", "--identify"})
    command->get_option(of_servers)->group("Between servers");
  command->add_option(
      "--commits", asked->commits,
      "commits of this folder's repository, the first the baseline, like main,HEAD,. (the working "
      "tree) or merge-base:main; the command names what they build: '${out}/towpath'");
  command
      ->add_option(
          "--build", asked->build,
          "a command that builds a commit, in place of what is usual for this project; may be repeated")
      ->take_all()
      ->expected(1)
      ->allow_extra_args(false)
      ->needs("--commits");
  command
      ->add_flag(
          "--relink{-1}", asked->relink,
          "link the builds anew for each round, so that where the linker puts code is noise, not a change; "
          "--relink=N: with N layouts in turn (default: as many as rounds, at most 32)")
      ->needs("--commits");
  for (const char* of_commits : {"--commits", "--build", "--relink"})
    command->get_option(of_commits)->group("Between commits");
  app::add_allow(*command, asked->allow, "; for CI: exit status 1 where a change is larger");
  app::add_junit(*command, asked->junit);
  app::add_when_busy(*command, asked->when_busy);
  app::add_seed(*command, asked->seed, "runs");
  command->add_option("--save-plan", asked->save_plan, "write this duel as a plan file, and stop");
  app::add_ledger(*command, asked->ledger);
  app::add_json(*command, asked->json);
  command->prefix_command();
  command->footer(duel_examples);
  command->callback([command, asked, &action] {
    auto words = command->remaining();
    const bool ended = !words.empty() && words.front() == end_of_options;
    if (ended) words.erase(words.begin());
    std::ranges::replace(words, std::string(end_of_options), std::string("--"));
    if (!ended && !words.empty() && words.front().starts_with("-"))
      throw CLI::ExtrasError("duel", {words.front()});
    // Options that programs hardly have, but for the duel's own: who writes them meant the duel.
    for (const auto& word : words)
      if (word == "--rounds" || word == "--budget" || word == "--margin" || word == "--names")
        std::cerr << "assay: note: " << word
                  << " stands after the first command and goes to a command; options of "
                  << "the duel stand before them\n";
    // How long to measure, where to keep it and how to print it is asked for again each time.
    const auto given = app::given_options(
        *command,
        {"--rounds", "--budget", "--seed", "--when-busy", "--ledger", "--json", "--junit", "--save-plan",
         "--relink"},  // the report adds it, with as many layouts as the rounds need
        {{"--env",
          [asked](const std::string& value) { return asked->keep_env ? value : names_only(value); }}});
    action = [asked, given, words] { return duel(*asked, given, words); };
  });
}

}  // namespace assay::cli
