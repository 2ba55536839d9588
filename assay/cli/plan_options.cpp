#include "assay/cli/plan_options.hpp"

#include <CLI/CLI.hpp>
#include <algorithm>
#include <sstream>

#include "assay/cli/command.hpp"
#include "assay/cli/run_comparison.hpp"
#include "assay/error.hpp"
#include "assay/plan.hpp"

namespace assay::cli {

void add_only(CLI::App& command, std::string& choice) {
  command.add_option(
      "--only", choice,
      "a part of the cells, like workload=orders,locks=800; names: candidate, workload, factors");
}

void add_plan_options(CLI::App& command, PlanOptions& asked) {
  command.add_option("PLAN", asked.file, "the plan file (default assay.toml)");
  command.add_option(
      "--candidates", asked.candidates,
      "commits in place of the plan's candidates, the first the baseline: main,HEAD,. (the working "
      "tree is ., merge-base:main where HEAD left main)");
  add_only(command, asked.only);
  command.add_option("--rounds", asked.rounds, "judged rounds, like 8..60, in place of the plan's");
  command.add_option("--budget", asked.budget, "measuring time, like 5min, in place of the plan's");
  command.add_option("--margin", asked.margin,
                     "the smallest change that matters, like 2%, in place of the plan's");
  command.add_flag(
      "--abreast", asked.abreast,
      "run the candidates at once on one core and compare CPU time: finer, for CPU-bound programs");
  command.add_option("--precise", asked.precise,
                     "keep measuring until each interval is within ± this, e.g. 2%");
}

Plan read_plan(const PlanOptions& asked) {
  std::vector<std::string> commits;
  std::istringstream parts(asked.candidates);
  for (std::string part; std::getline(parts, part, ',');)
    if (!part.empty()) commits.push_back(part);
  auto plan = plan::read_file(asked.file, commits);
  plan::filter_plan(plan, parse_cell_filter(asked.only));
  if (!asked.rounds.empty()) {
    const auto planned = plan.rounds;
    plan.rounds = app::parse_rounds(asked.rounds);
    plan.rounds.budget = planned.budget;
    plan.rounds.mode = planned.mode;
    plan.rounds.twin = planned.twin;
    plan.rounds.precise = planned.precise;
    plan::validate(plan, {{"rounds.max", "--rounds"}, {"rounds.min", "--rounds"}});
  }
  if (!asked.budget.empty()) plan.rounds.budget = app::parse_budget(asked.budget);
  if (!asked.margin.empty()) {
    plan.margin = app::parse_margin(asked.margin);
    plan::validate(plan, {{"plan.margin", "--margin"}});
  }
  if (asked.abreast) {
    plan.rounds.mode = PlannedRounds::Mode::abreast;
    plan::validate(plan,
                   {{"plan.watch", "--abreast"}, {"rounds.mode", "--abreast"}, {"candidate", "--abreast"}});
  }
  if (!asked.precise.empty()) {
    plan.rounds.precise = app::parse_precision(asked.precise);
    plan::validate(plan, {{"rounds.precise", "--precise"}});
  }
  return plan;
}

Plan read_plan_of_commits(const std::string& file) {
  Plan plan;
  try {
    plan = plan::read_file(file);
  } catch (
      const Error&) {  // it may have a [build] and no candidates; what else is wrong is printed once more
    return plan::read_file(file, {"HEAD", "."});
  }
  const auto found = std::ranges::find_if(plan.candidates, [](const auto& c) { return !c.commit.empty(); });
  if (found == plan.candidates.end()) return plan::read_file(file, {"HEAD", "."});
  std::iter_swap(plan.candidates.begin(), found);
  return plan;
}

std::vector<std::string> options_of(const PlanOptions& asked) {
  std::vector<std::string> words;
  const auto add = [&](const char* name, const std::string& value) {
    if (!value.empty()) words.insert(words.end(), {name, value});
  };
  add("--candidates", asked.candidates);
  add("--only", asked.only);
  add("--rounds", asked.rounds);
  add("--budget", asked.budget);
  add("--margin", asked.margin);
  add("--precise", asked.precise);
  if (asked.abreast) words.emplace_back("--abreast");
  words.push_back(asked.file);
  return words;
}

}  // namespace assay::cli
