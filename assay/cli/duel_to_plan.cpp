#include "assay/cli/duel_to_plan.hpp"

#include <algorithm>
#include <cctype>
#include <filesystem>
#include <iostream>
#include <set>
#include <sstream>
#include <string>
#include <utility>
#include <vector>

#include "assay/cli/run_comparison.hpp"
#include "assay/error.hpp"
#include "assay/plan.hpp"
#include "assay/report.hpp"

namespace assay::cli {

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

/// What stands between commas, without blanks around: "wall time, peak memory".
std::vector<std::string> listed(const std::string& text) {
  auto all = split(text, ',');
  for (auto& one : all) {
    one.erase(0, std::min(one.find_first_not_of(' '), one.size()));
    one.erase(one.find_last_not_of(' ') + 1);
  }
  return all;
}

/// The last `count` parts of a path; all of it where it has no more.
std::string end_of(const std::string& path, std::size_t count) {
  auto at = path.size();
  for (std::size_t i = 0; i < count && at != std::string::npos && at > 0; ++i) at = path.rfind('/', at - 1);
  return at == std::string::npos || at == 0 ? path : path.substr(at + 1);
}

/// The shortest end of each program's path that no other program's has.
std::string short_name(const std::string& path, const std::vector<std::vector<std::string>>& commands) {
  constexpr std::size_t most_parts = 64;
  for (std::size_t parts = 1; parts < most_parts; ++parts) {
    const auto end = end_of(path, parts);
    if (std::ranges::all_of(commands, [&](const auto& command) {
          return command.front() == path || end_of(command.front(), parts) != end;
        }))
      return end;
  }
  return path;
}

/// The shortest names that tell the commands apart: the ends of the programs' paths, or these with arguments.
std::vector<std::string> names_for(const std::vector<std::vector<std::string>>& commands) {
  std::vector<std::string> programs, short_names;
  for (const auto& command : commands) {
    auto short_form = command;
    short_form.front() = short_name(command.front(), commands);
    programs.push_back(printable(short_form.front()));
    short_names.push_back(app::shell_quoted(short_form));
  }
  for (const auto& names : {programs, short_names}) {
    const bool short_enough =
        std::ranges::all_of(names, [](const auto& name) { return !name.empty() && name.size() <= 28; });
    if (short_enough && std::set<std::string>(names.begin(), names.end()).size() == names.size())
      return names;
  }
  auto numbered = programs;
  for (std::size_t i = 0; i < programs.size(); ++i)
    if (std::ranges::count(programs, programs[i]) > 1) numbered[i] += " #" + std::to_string(i + 1);
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
  for (auto& word : words) word = plan::escape(word);
  return words;
}

std::vector<std::string> step_of(const std::string& text) { return literals(words_of(text)); }

/// Whether a variable has a value that is known before a trial begins. Throws Error for one without a name.
bool holds_value(const std::string& variable) {
  const auto equal = variable.find('=');
  if (equal == 0) throw Error("\"" + variable + "\" names no variable", "--env", "write NAME or NAME=value");
  return equal != std::string::npos && variable.find("${", equal) == std::string::npos;
}

Control control_of(const DuelOptions& asked) {
  Control control{
      .nice = asked.nice, .cold = literals(asked.cold), .fresh = asked.fresh, .keep_output = !asked.discard};
  if (!asked.cores.empty())
    control.cores = option("--cores", [&] { return numbers(asked.cores, "the number of a core"); });
  control.before.run = option("--before", [&] { return step_of(asked.before); });
  control.after.run = option("--after", [&] { return step_of(asked.after); });
  if (!asked.environment.empty())
    control.environment =
        asked.environment == "-"
            ? std::vector<std::string>{}
            : split(asked.keep_env ? asked.environment : names_only(asked.environment), ',');
  if (!asked.pause.empty()) control.pause = option("--pause", [&] { return parse_duration(asked.pause); });
  if (!asked.memory_limit.empty())
    control.memory_limit = option("--memory-limit", [&] { return parse_bytes(asked.memory_limit); });
  return control;
}

PlannedWorkload workload_of(const DuelOptions& asked) {
  PlannedWorkload workload{.name = "commands", .stdin_file = plan::escape(asked.stdin_file)};
  workload.check.equal = asked.equal ? "stdout" : "";
  workload.check.match = asked.match;
  if (!asked.exit_ok.empty())
    workload.check.exit_ok = option("--exit-ok", [&] { return numbers(asked.exit_ok, "an exit status"); });
  if (!asked.timeout.empty())
    workload.timeout = option("--timeout", [&] { return parse_duration(asked.timeout); });
  if (!asked.work.empty()) workload.work = option("--work", [&] { return parse_work(asked.work); });
  return workload;
}

/// One command, run as each commit has built it.
std::vector<PlannedCandidate> candidates_of_commits(const DuelOptions& asked,
                                                    const std::vector<std::string>& words) {
  if (words.empty())
    throw Error("there is no command to run", "--commits",
                "write it last: assay duel --commits main,. -- '${out}/towpath' in.txt");
  if (std::ranges::count(words, "vs") > 0)
    throw Error("the commits are what is compared, all by one command", "--commits", "leave out the word vs");
  if (std::ranges::none_of(words, [](const auto& word) {
        return word.find("${out}") != std::string::npos || word.find("${source}") != std::string::npos;
      }))
    throw Error(
        "the command names nothing that a commit's build yields, so all would run the same program: " +
            app::shell_quoted(words),
        "--commits",
        "write where the build leaves it, in single quotes for the shell: '${out}/" +
            end_of(words.front(), 1) + "' or '${source}/" + end_of(words.front(), 1) + "'");
  auto commits = listed(asked.commits);
  std::erase(commits, "");
  if (commits.size() < 2)
    throw Error("there is nothing to compare it with: " + asked.commits, "--commits",
                "name two or more, the first the baseline: --commits main,HEAD or merge-base:main,.");
  const auto names = asked.names.empty() ? commits : listed(asked.names);
  if (names.size() != commits.size())
    throw Error(std::to_string(names.size()) + " names for " + std::to_string(commits.size()) + " commits",
                "--names", "give one name for each, with commas between");
  auto build = build_of_duel(asked);
  build.relink = asked.relink;
  std::vector<PlannedCandidate> candidates;
  for (std::size_t i = 0; i < commits.size(); ++i)
    candidates.push_back({.name = names[i] == "." ? "working tree" : names[i],
                          .run = words,
                          .commit = commits[i],
                          .build = build});
  return candidates;
}

std::vector<PlannedCandidate> candidates_of_commands(const DuelOptions& asked,
                                                     const std::vector<std::string>& words) {
  const auto commands = split_at_vs(words);
  if (words.empty())
    throw Error("there is nothing to compare", "duel",
                "write it like: assay duel ./old in.txt vs ./new in.txt");
  if (commands.size() < 2)
    throw Error("only one command is given: " + app::shell_quoted(words), "duel",
                "part the commands with the word vs: assay duel ./old vs ./new");
  if (std::ranges::any_of(commands, [](const auto& c) { return c.empty(); }))
    throw Error("a command is missing beside the word vs", "duel",
                "write it like: assay duel ./old vs ./new");
  auto names = asked.names.empty() ? names_for(commands) : listed(asked.names);
  if (names.size() != commands.size())
    throw Error(std::to_string(names.size()) + " names for " + std::to_string(commands.size()) + " commands",
                "--names", "give one name for each, with commas between");
  std::vector<PlannedCandidate> candidates;
  for (std::size_t i = 0; i < commands.size(); ++i) {
    candidates.push_back({.name = names[i]});
    candidates.back().run = literals(commands[i]);
  }
  return candidates;
}

}  // namespace

Build build_of_duel(const DuelOptions& asked) {
  Build build;
  if (!asked.build.empty()) {
    for (const auto& step : asked.build)
      build.steps.push_back(option("--build", [&] { return words_of(step); }));
    return build;
  }
  const auto folder = std::filesystem::current_path().string();
  const auto project = plan::detect_project(folder);
  if (!project)
    throw Error("it is not known how this project is built: it has none of " + plan::project_files(), folder,
                "say it with --build 'COMMAND', once for each step; ${out} is where it should go, ${source} "
                "the commit's files");
  std::cerr << "assay: a " << project->kind << " project (" << project->file
            << "); each commit is built by\n";
  for (const auto& step : project->build.steps) std::cerr << "assay:   " << app::shell_quoted(step) << "\n";
  return project->build;
}

std::string names_only(const std::string& variables) {
  std::string names;
  for (const auto& variable : split(variables, ','))
    names += (names.empty() ? "" : ",") +
             (holds_value(variable) ? variable.substr(0, variable.find('=')) : variable);
  return names;
}

std::map<std::string, std::string> values_only(const std::string& variables) {
  std::map<std::string, std::string> values;
  for (const auto& variable : split(variables, ',')) {
    const auto equal = variable.find('=');
    if (holds_value(variable)) values[variable.substr(0, equal)] = variable.substr(equal + 1);
  }
  return values;
}

Plan plan_of_duel(const DuelOptions& asked, const std::vector<std::string>& words) {
  Plan plan;
  plan.folder = std::filesystem::current_path().string();
  plan.candidates =
      asked.commits.empty() ? candidates_of_commands(asked, words) : candidates_of_commits(asked, words);
  if (asked.contest) {
    // One command of all that differs in its program: each candidate's own words are its contest's.
    auto words_of_it = plan.candidates.front().run;
    for (auto& candidate : plan.candidates) {
      if (std::vector(candidate.run.begin() + 1, candidate.run.end()) !=
          std::vector(words_of_it.begin() + 1, words_of_it.end()))
        throw Error("contests with different arguments can't be compared function by function", "--contest",
                    "give all commands the same arguments");
      candidate.exe = candidate.run.front();
      candidate.run.clear();
    }
    words_of_it.front() = "${exe}";
    plan.workloads.push_back(workload_of(asked));
    plan.workloads.back().name = "contest";
    plan.workloads.back().contest = std::move(words_of_it);
  } else
    plan.workloads.push_back(asked.serve.empty() ? workload_of(asked) : service_of_duel(asked, plan));
  plan.workloads.back().control = control_of(asked);
  if (!asked.rounds.empty()) plan.rounds = app::parse_rounds(asked.rounds);
  plan.rounds.twin = asked.relink != 0;  // it tells layout's part of the spread from noise
  plan.rounds.mode = asked.way;
  plan.watch = listed(asked.watch);
  plan.rounds.budget = asked.budget.empty() ? 60 : app::parse_budget(asked.budget);
  if (!asked.precise.empty())
    plan.rounds.precise = option("--precise", [&] { return parse_percent(asked.precise); });
  if (!asked.margin.empty()) plan.margin = option("--margin", [&] { return parse_percent(asked.margin); });
  if (!asked.allow.empty()) plan.gate.allow = option("--allow", [&] { return parse_percent(asked.allow); });
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
                        {"workload[0].stdin", "--stdin"},
                        {"workload[0].requests.clients", "--clients"},
                        {"workload[0].requests.arrivals", "--rate"},
                        {"workload[0].requests", "--serve"},
                        {"workload[0].service.ready", "--ready"},
                        {"workload[0].service.identify", "--identify"},
                        {"workload[0].service", "--serve"},
                        {"plan.watch", "--watch"}});
  return plan;
}

}  // namespace assay::cli
