#include <algorithm>
#include <map>
#include <set>
#include <string>
#include <utility>
#include <vector>

#include "assay/model/error.hpp"
#include "assay/model/text.hpp"
#include "assay/runners/sample_lines.hpp"
#include "assay/runners/trial_environment.hpp"
#include "assay/setup/prepare.hpp"

namespace assay::setup {
namespace {

/// What one run of a contest program says of its parts.
runners::ParsedSamples run_for_samples(const runners::ProgramCell& cell, const std::string& folder,
                                       measure::Launcher& launcher, const std::stop_token& stop) {
  auto command = cell.command;
  auto control = cell.planned.control;
  command.samples = true;
  runners::TrialEnvironment staging(launcher, control, folder);
  if (const auto problem = staging.begin(stop)) return {.problem = *problem, .groups = {}};
  command.directory = staging.directory();
  const auto result = launcher.run(command, stop);
  staging.end();
  if (result.interrupted) throw Cancelled{};
  if (result.not_started) return {.problem = *result.not_started, .groups = {}};
  if (result.signal != 0 || result.exit_status != 0)
    return {.problem = "ended with " +
                       (result.signal != 0 ? "signal " + std::to_string(result.signal)
                                           : "exit status " + std::to_string(result.exit_status)) +
                       runners::stderr_tail(result),
            .groups = {}};
  return runners::parse_samples(result.samples ? result.samples->head() : std::string_view{});
}

/// Verdicts are given on what the plan watches; where it does not say, on the times of functions.
void add_metric_of_samples(const Plan& plan, const std::string& name, const std::string& unit,
                           IdTable<MetricId, Metric>& metrics) {
  if (metrics.find([&](const Metric& m) { return m.name == name; })) return;
  auto metric = runners::metric_of_samples(name, unit);
  metric.request = {};
  metric.request.watched =
      plan.watch.empty() ? metric.is_time() && !metric.supporting : std::ranges::count(plan.watch, name) > 0;
  metrics.add(std::move(metric));
}

}  // namespace

int expand_function_workloads(const Plan& plan, const std::stop_token& stop, measure::Launcher& launcher,
                              PreparedCells& laid, plan::PlannedCells& planned,
                              IdTable<CellId, CellStatus>& states) {
  if (std::ranges::none_of(plan.workloads, [](const auto& w) { return !w.contest.empty(); })) return 0;
  auto& design = laid.record.design;
  const auto is_contest = [&](CellId cell) {
    return !plan.workload(design.cells[cell].workload).contest.empty();
  };
  using Place = std::pair<WorkloadId, std::string>;
  std::map<Place, std::vector<Setting>> parts;  // of all candidates together
  std::map<Place, std::set<std::string>> known;
  std::set<std::string> added;  // metrics
  for (const auto cell : design.cells.ids()) {
    if (!is_contest(cell) || !states[cell].is_ok()) continue;
    const auto samples = run_for_samples(laid.cells[cell], plan.folder, launcher, stop);
    if (!samples.problem.empty()) states[cell] = {StatusCode::failed, samples.problem};
    const Place place{design.cells[cell].workload, design.cells[cell].setting.text()};
    auto& all = parts[place];
    for (const auto& part : samples.groups) {
      if (known[place].insert(part.setting.text()).second) all.push_back(part.setting);
      for (const auto& value : part.values)
        if (added.insert(value.metric).second)
          add_metric_of_samples(plan, value.metric, value.unit, design.metrics);
    }
  }
  for (auto& [place, all] : parts) std::ranges::sort(all, {}, &Setting::levels);  // they came shuffled
  plan::PlannedCells parted;
  IdTable<CellId, Cell> cells;
  IdTable<CellId, CellStatus> status;
  IdTable<CellId, runners::ProgramCell> processes;
  std::map<CellId, runners::ServerCell> services;
  int program = 0;
  const auto add = [&](CellId from, const Cell& cell, runners::ProgramCell process) {
    parted.add(planned[from]);
    parted[CellId{parted.next_id().value - 1}].cell = cell;
    status.add(states[from]);
    processes.add(std::move(process));
    return cells.add(cell);
  };
  for (const auto from : design.cells.ids()) {
    const auto& cell = design.cells[from];
    const auto& all = parts[{cell.workload, cell.setting.text()}];
    if (!is_contest(from) || all.empty()) {
      const auto now = add(from, cell, laid.cells[from]);
      if (const auto service = laid.services.find(from); service != laid.services.end())
        services.emplace(now, service->second);
      continue;
    }
    ++program;
    for (const auto& setting : all) {
      auto part = cell;
      part.setting.levels.insert(setting.levels.begin(), setting.levels.end());
      auto process = laid.cells[from];
      process.part = runners::ProgramCell::Part{program, setting.text()};
      process.metrics.clear();
      add(from, part, std::move(process));
    }
  }
  for (const auto& name : plan.watch)
    if (!design.metrics.find([&](const Metric& m) { return m.name == name; }))
      throw Error("unknown metric \"" + name + "\"", "plan.watch",
                  did_you_mean(name, std::vector<std::string>(added.begin(), added.end())));
  planned = std::move(parted);
  design.cells = std::move(cells);
  states = std::move(status);
  laid.cells = std::move(processes);
  laid.services = std::move(services);
  design.comparisons = plan::comparisons_of(planned, plan);
  return program;
}

}  // namespace assay::setup
