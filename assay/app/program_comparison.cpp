#include "assay/app/program_comparison.hpp"

#include <algorithm>
#include <utility>

#include "assay/engine/observer.hpp"
#include "assay/model/error.hpp"
#include "assay/plan/cells.hpp"

namespace assay::app {
render::Results run_plan(const Plan& plan, const engine::RunOptions& run) {
  engine::RecordKeeper keeper(run.observer);
  auto with_keeper = run;
  with_keeper.observer = &keeper;
  auto findings = setup::run_plan(plan, with_keeper);
  return {std::move(keeper.record()), std::move(findings)};
}

ProgramComparison::ProgramComparison(const std::string& title) {
  plan_.title = title;
  plan_.workloads = {{.name = "run"}};
  plan_.rounds.twin = true;
}

ProgramComparison& ProgramComparison::add(const std::string& name, const std::vector<std::string>& command) {
  if (command.empty()) throw Error("no command is given", name, "give the program and its arguments");
  if (std::ranges::count(plan_.candidates, name, &PlannedCandidate::name) > 0)
    throw Error("two programs are named \"" + name + "\"", {}, "give each its own name");
  PlannedCandidate candidate{.name = name, .exe = plan::escape(command.front()), .run = {"${exe}"}};
  for (std::size_t i = 1; i < command.size(); ++i) candidate.run.push_back(plan::escape(command[i]));
  plan_.candidates.push_back(std::move(candidate));
  return *this;
}

ProgramComparison& ProgramComparison::baseline(const std::string& name,
                                               const std::vector<std::string>& command) {
  if (!plan_.baseline.empty())
    throw Error("there are two baselines, " + plan_.baseline + " and " + name, {}, "choose one of them");
  add(name, command);
  plan_.baseline = name;
  return *this;
}

ProgramComparison& ProgramComparison::candidate(const std::string& name,
                                                const std::vector<std::string>& command) {
  return add(name, command);
}

ProgramComparison& ProgramComparison::check(const OutputCheck& check) {
  plan_.workloads.front().check = check;
  return *this;
}

ProgramComparison& ProgramComparison::stdin_file(const std::string& path) {
  plan_.workloads.front().stdin_file = plan::escape(path);
  return *this;
}

ProgramComparison& ProgramComparison::watch(const std::vector<std::string>& metrics) {
  plan_.watch = metrics;
  return *this;
}

ProgramComparison& ProgramComparison::margin(double share) {
  plan_.margin = share;
  return *this;
}

ProgramComparison& ProgramComparison::budget(std::chrono::duration<double> time) {
  plan_.rounds.budget = time.count();
  return *this;
}

ProgramComparison& ProgramComparison::rounds(int least, int most) {
  plan_.rounds.min = least;
  plan_.rounds.max = most;
  return *this;
}

ProgramComparison& ProgramComparison::timeout(std::chrono::duration<double> time) {
  plan_.workloads.front().timeout = time.count();
  return *this;
}

render::Results ProgramComparison::run(const engine::RunOptions& run) const {
  return app::run_plan(plan_, run);
}

}  // namespace assay::app
