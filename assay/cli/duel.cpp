#include <CLI/CLI.hpp>
#include <algorithm>
#include <filesystem>
#include <fstream>
#include <iostream>
#include <memory>
#include <set>
#include <sstream>

#include "assay/cli/command.hpp"
#include "assay/cli/comparing.hpp"
#include "assay/cli/whereabouts.hpp"
#include "assay/model/error.hpp"
#include "assay/model/quantity.hpp"
#include "assay/plan/read.hpp"
#include "assay/plan/validate.hpp"

namespace assay::cli {
namespace {

constexpr const char* examples =
    R"(Everything before the first command is an option of the duel; the commands are parted by the word vs,
and the first is the baseline. Nothing passes through a shell; who wants one writes sh -c '...'.

  assay duel ./old in.txt vs ./new in.txt
  assay duel --stdin orders.txt --equal ./list vs ./heap vs ./goal
  assay duel --margin 5% --names fast,small gzip -1 -c log vs gzip -9 -c log
  assay duel --match '^total' --rounds 30 ./old vs ./new

The verdicts: + better, ! worse, = same (no change as large as the margin), ? unclear (measure more).)";

struct Asked {
  std::string rounds, budget, margin, names, stdin_file, match, exit_ok, timeout, save_plan, ledger;
  std::int64_t seed = -1;
  bool equal = false, json = false;
};

std::vector<std::vector<std::string>> split_at_vs(const std::vector<std::string>& words) {
  std::vector<std::vector<std::string>> commands(1);
  for (const auto& word : words) {
    if (word == "vs")
      commands.emplace_back();
    else
      commands.back().push_back(word);
  }
  return commands;
}

std::vector<std::string> split(const std::string& text, char at) {
  std::vector<std::string> parts;
  std::istringstream in(text);
  for (std::string part; std::getline(in, part, at);) parts.push_back(part);
  return parts;
}

/// The shortest names that tell the commands apart: the programs' file names, their paths, file names with
/// arguments, whole commands.
std::vector<std::string> names_for(const std::vector<std::vector<std::string>>& commands) {
  std::vector<std::string> files, paths, told, whole;
  for (const auto& command : commands) {
    auto short_form = command;
    short_form.front() = std::filesystem::path(command.front()).filename().string();
    files.push_back(short_form.front());
    paths.push_back(command.front());
    told.push_back(typed(short_form));
    whole.push_back(typed(command));
  }
  for (const auto& names : {files, paths, told, whole}) {
    const bool short_enough =
        std::ranges::all_of(names, [](const auto& name) { return !name.empty() && name.size() <= 28; });
    if (short_enough && std::set<std::string>(names.begin(), names.end()).size() == names.size())
      return names;
  }
  auto numbered = files;
  for (std::size_t i = 0; i < files.size(); ++i)
    if (std::ranges::count(files, files[i]) > 1) numbered[i] += " #" + std::to_string(i + 1);
  return numbered;
}

/// What was asked for, each part's error named after its option.
template <class Parse>
auto option(const std::string& name, Parse&& parse) {
  try {
    return parse();
  } catch (const Error& error) {
    throw Error(error.problem(), name, error.remedy());
  }
}

std::vector<int> statuses(const std::string& text) {
  std::vector<int> all;
  for (const auto& part : split(text, ',')) {
    if (part.empty() || part.size() > 3 ||
        !std::ranges::all_of(part, [](unsigned char c) { return std::isdigit(c) != 0; }))
      throw Error("\"" + part + "\" is not an exit status", {}, "write them like 0,1");
    all.push_back(std::stoi(part));
  }
  return all;
}

Plan plan_for(const Asked& asked, const std::vector<std::string>& words) {
  const auto commands = split_at_vs(words);
  if (words.empty())
    throw Error("there is nothing to compare", "duel",
                "write it like: assay duel ./old in.txt vs ./new in.txt");
  if (commands.size() < 2)
    throw Error("a duel of one: " + typed(words), "duel",
                "part the commands with the word vs: assay duel ./old vs ./new");
  Plan plan;
  plan.folder = std::filesystem::current_path().string();
  if (std::ranges::any_of(commands, [](const auto& c) { return c.empty(); }))
    throw Error("a command is missing beside the word vs", "duel",
                "write it like: assay duel ./old vs ./new");
  auto names = asked.names.empty() ? names_for(commands) : split(asked.names, ',');
  if (names.size() != commands.size())
    throw Error(std::to_string(names.size()) + " names for " + std::to_string(commands.size()) + " commands",
                "--names", "give one name for each, with commas between");
  for (std::size_t i = 0; i < commands.size(); ++i) {
    PlannedCandidate candidate{.name = names[i]};
    for (const auto& word : commands[i]) {
      std::string literal = word;
      for (auto at = literal.find("${"); at != std::string::npos; at = literal.find("${", at + 3))
        literal.insert(at, "$");
      candidate.run.push_back(literal);
    }
    plan.candidates.push_back(std::move(candidate));
  }
  PlannedWorkload workload{.name = "commands", .stdin_file = asked.stdin_file};
  workload.check.equal = asked.equal ? "stdout" : "";
  workload.check.match = asked.match;
  if (!asked.exit_ok.empty())
    workload.check.exit_ok = option("--exit-ok", [&] { return statuses(asked.exit_ok); });
  if (!asked.timeout.empty())
    workload.timeout = option("--timeout", [&] { return parse_duration(asked.timeout); });
  plan.workloads.push_back(std::move(workload));
  if (!asked.rounds.empty()) plan.rounds = parse_rounds(asked.rounds);
  plan.rounds.budget = asked.budget.empty() ? 60 : parse_budget(asked.budget);
  if (!asked.margin.empty()) plan.margin = option("--margin", [&] { return parse_share(asked.margin); });
  if (asked.seed >= 0) plan.seed = static_cast<std::uint64_t>(asked.seed);
  plan::validate(plan, {{"rounds.max", "--rounds"},
                        {"rounds.min", "--rounds"},
                        {"plan.margin", "--margin"},
                        {"candidate", "duel"},
                        {"workload[0].check.match", "--match"},
                        {"workload[0].check.exit_ok", "--exit-ok"},
                        {"candidate[1].name", "--names"},
                        {"workload[0]", "duel"}});
  return plan;
}

void save(const Plan& plan, const std::string& path) {
  if (std::filesystem::exists(path))
    throw Error("this file is there already", path, "choose another name, or move it away");
  Plan portable = plan;
  portable.folder.clear();
  std::ofstream file(path);
  file << plan::to_toml(portable);
  file.close();
  if (!file)
    throw Error("the plan can't be written here", path, "look at the folder's permissions and the disk");
  std::cerr << "assay: wrote " << path << "; assay run " << path << " carries it out\n";
}

int duel(const Asked& asked, const std::vector<std::string>& words) {
  const auto plan = plan_for(asked, words);
  if (!asked.save_plan.empty()) {
    save(plan, asked.save_plan);
    return exit_done;
  }
  std::vector<std::string> again = {"assay", "duel"};
  const auto repeat_option = [&](const char* name, const std::string& value) {
    if (!value.empty()) again.insert(again.end(), {name, value});
  };
  repeat_option("--margin", asked.margin);
  repeat_option("--names", asked.names);
  repeat_option("--stdin", asked.stdin_file);
  if (asked.equal) again.emplace_back("--equal");
  repeat_option("--match", asked.match);
  repeat_option("--exit-ok", asked.exit_ok);
  repeat_option("--timeout", asked.timeout);
  again.insert(again.end(), words.begin(), words.end());
  return compare(plan, {.kind = "duel",
                        .ledger = asked.ledger.empty() ? state_ledger() : asked.ledger,
                        .repeat = typed(again),
                        .json = asked.json});
}

}  // namespace

void add_duel(CLI::App& app, Action& action) {
  auto* command = app.add_subcommand(
      "duel", "compare commands at once: assay duel [OPTIONS] COMMAND [ARG ...] vs COMMAND [ARG ...] ...");
  auto asked = std::make_shared<Asked>();
  command->add_option(
      "--rounds", asked->rounds,
      "judged rounds, like 7..60 (the default: from 7 on it ends when all is settled), or 20");
  command->add_option(
      "--budget", asked->budget,
      "measuring time, like 5min (default 60s); a round that would go beyond it is not begun");
  command->add_option("--margin", asked->margin, "the smallest change that matters, like 2% (default 1%)");
  command->add_option("--names", asked->names, "names for the commands, with commas between");
  command->add_option("--stdin", asked->stdin_file, "a file that every command reads as its standard input");
  command->add_flag("--equal", asked->equal,
                    "outputs must be the baseline's (else a difference is only noted)");
  command->add_option("--match", asked->match, "a regular expression that must occur in every output");
  command->add_option("--exit-ok", asked->exit_ok, "exit statuses of success, like 0,1 (default 0)");
  command->add_option("--timeout", asked->timeout, "longest time for one run, like 30s (default 10 min)");
  command->add_option("--seed", asked->seed, "seed of the order of runs; the same seed gives the same order")
      ->check(CLI::NonNegativeNumber);
  command->add_option("--save-plan", asked->save_plan, "write this duel as a plan file, and stop");
  command->add_option("--ledger", asked->ledger, "the ledger that keeps the runs");
  command->add_flag("--json", asked->json, "print the findings document");
  command->prefix_command();
  command->footer(examples);
  command->callback([command, asked, &action] {
    auto words = command->remaining();
    if (!words.empty() && words.front() == "--") words.erase(words.begin());
    if (!words.empty() && words.front().starts_with("-")) throw CLI::ExtrasError("duel", {words.front()});
    action = [asked, words] { return duel(*asked, words); };
  });
}

}  // namespace assay::cli
