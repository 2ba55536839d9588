#include "assay/cli/duel_plan.hpp"

#include <algorithm>
#include <cctype>
#include <cstdlib>
#include <filesystem>
#include <set>
#include <sstream>

#include "assay/cli/comparing.hpp"
#include "assay/error.hpp"
#include "assay/plan.hpp"
#include "assay/report.hpp"

namespace assay::inline v1::cli {
namespace {

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
    files.push_back(printable(short_form.front()));
    paths.push_back(printable(command.front()));
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

/// Small whole numbers with commas between; `what` is how one of them is called.
std::vector<int> numbers(const std::string& text, const std::string& what) {
  std::vector<int> all;
  for (const auto& part : split(text, ',')) {
    if (part.empty() || part.size() > 4 ||
        !std::ranges::all_of(part, [](unsigned char c) { return std::isdigit(c) != 0; }))
      throw Error("\"" + part + "\" is not " + what, {}, "write them like 0,1");
    all.push_back(std::stoi(part));
  }
  return all;
}

/// A command given as one text: words parted by blanks, quotes keep blanks together.
std::vector<std::string> words_of(const std::string& text) {
  std::vector<std::string> words;
  bool inside = false;
  char quote = 0;
  for (const char c : text) {
    if (quote != 0 ? c == quote : c == '\'' || c == '"') {
      if (quote == 0 && !inside) words.emplace_back();
      quote = quote != 0 ? '\0' : c;
      inside = true;
    } else if (quote == 0 && c == ' ') {
      inside = false;
    } else {
      if (!inside) words.emplace_back();
      words.back() += c;
      inside = true;
    }
  }
  if (quote != 0) throw Error("a quote is not closed in: " + text, {}, "close it");
  return words;
}

std::vector<std::string> literals(std::vector<std::string> words) {
  for (auto& word : words) word = plan::literal(word);
  return words;
}

std::vector<std::string> step_of(const std::string& text) { return literals(words_of(text)); }

WorkAmount work_of(const std::string& text) {
  const auto blank = text.find(' ');
  if (blank == std::string::npos || blank + 1 == text.size())
    throw Error("\"" + text + "\" is not an amount of work", {}, "write it like '500 routes'");
  return {.amount = text.substr(0, blank), .unit = text.substr(blank + 1)};
}

/// What stands for variables in the plan, and so in the ledger: their names. Values are put into this
/// program's own environment, from which trials get them, unless they are to be kept or wait for a trial's.
std::vector<std::string> variables_of(const std::vector<std::string>& asked, bool keep) {
  std::vector<std::string> variables;
  for (const auto& variable : asked) {
    const auto equal = variable.find('=');
    if (keep || equal == std::string::npos || variable.find("${", equal) != std::string::npos) {
      variables.push_back(variable);
      continue;
    }
    variables.push_back(variable.substr(0, equal));
    if (setenv(variables.back().c_str(), variable.substr(equal + 1).c_str(), 1) != 0)
      throw Error("\"" + variables.back() + "\" can't name a variable", "--env", "write NAME or NAME=value");
  }
  return variables;
}

Control control_of(const DuelAsked& asked) {
  Control control{
      .nice = asked.nice, .cold = literals(asked.cold), .fresh = asked.fresh, .keep_output = !asked.discard};
  if (!asked.cores.empty())
    control.cores = option("--cores", [&] { return numbers(asked.cores, "the number of a core"); });
  control.before.run = option("--before", [&] { return step_of(asked.before); });
  control.after.run = option("--after", [&] { return step_of(asked.after); });
  if (!asked.environment.empty())
    control.environment = asked.environment == "-"
                              ? std::vector<std::string>{}
                              : variables_of(split(asked.environment, ','), asked.keep_env);
  if (!asked.settle.empty())
    control.settle = option("--settle", [&] { return parse_duration(asked.settle); });
  if (!asked.memory_limit.empty())
    control.memory_limit = option("--memory-limit", [&] { return parse_bytes(asked.memory_limit); });
  return control;
}

}  // namespace

std::string names_only(const std::string& variables) {
  std::string names;
  for (const auto& variable : split(variables, ',')) {
    const bool waits = variable.find("=") != std::string::npos && variable.find("${") != std::string::npos;
    names += (names.empty() ? "" : ",") + (waits ? variable : variable.substr(0, variable.find('=')));
  }
  return names;
}

Plan plan_of_duel(const DuelAsked& asked, const std::vector<std::string>& words) {
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
    candidate.run = literals(commands[i]);
    plan.candidates.push_back(std::move(candidate));
  }
  PlannedWorkload workload{.name = "commands", .stdin_file = plan::literal(asked.stdin_file)};
  workload.check.equal = asked.equal ? "stdout" : "";
  workload.check.match = asked.match;
  if (!asked.exit_ok.empty())
    workload.check.exit_ok = option("--exit-ok", [&] { return numbers(asked.exit_ok, "an exit status"); });
  if (!asked.timeout.empty())
    workload.timeout = option("--timeout", [&] { return parse_duration(asked.timeout); });
  workload.control = control_of(asked);
  if (!asked.work.empty()) workload.work = option("--work", [&] { return work_of(asked.work); });
  plan.workloads.push_back(std::move(workload));
  if (!asked.rounds.empty()) plan.rounds = parse_rounds(asked.rounds);
  if (asked.abreast) plan.rounds.mode = PlannedRounds::Mode::abreast;
  plan.watch = split(asked.watch, ',');
  plan.rounds.budget = asked.budget.empty() ? 60 : parse_budget(asked.budget);
  if (!asked.precise.empty())
    plan.rounds.precise = option("--precise", [&] { return parse_share(asked.precise); });
  if (!asked.margin.empty()) plan.margin = option("--margin", [&] { return parse_share(asked.margin); });
  if (asked.seed >= 0) plan.seed = static_cast<std::uint64_t>(asked.seed);
  plan::validate(plan, {{"rounds.max", "--rounds"},
                        {"rounds.min", "--rounds"},
                        {"plan.margin", "--margin"},
                        {"rounds.precise", "--precise"},
                        {"candidate", "duel"},
                        {"workload[0].check.match", "--match"},
                        {"workload[0].check.exit_ok", "--exit-ok"},
                        {"candidate[1].name", "--names"},
                        {"workload[0]", "duel"},
                        {"workload[0].cores", "--cores"},
                        {"workload[0].run", "duel"},
                        {"plan.watch", "--watch"}});
  return plan;
}

}  // namespace assay::inline v1::cli
