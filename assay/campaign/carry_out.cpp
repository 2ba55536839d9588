#include "assay/campaign/carry_out.hpp"

#include <algorithm>
#include <chrono>
#include <filesystem>
#include <functional>
#include <random>

#include "assay/campaign/processes.hpp"
#include "assay/campaign/recorder.hpp"
#include "assay/judge/findings.hpp"
#include "assay/measure/digest.hpp"
#include "assay/measure/machine.hpp"
#include "assay/measure/program.hpp"
#include "assay/model/error.hpp"
#include "assay/plan/matrix.hpp"
#include "assay/plan/read.hpp"
#include "assay/plan/validate.hpp"

namespace assay::campaign {
namespace {

/// Seeds stay below 2^62, so that every format can carry them as a plain number.
std::uint64_t draw_seed() {
  std::random_device device;
  return ((static_cast<std::uint64_t>(device()) << 32U) | device()) >> 2U;
}

std::string draw_uid() {
  const auto digits = measure::digest_of(std::to_string(draw_seed()) + std::to_string(draw_seed()));
  return digits.substr(0, 16);
}

Sitting sitting_here() {
  Sitting sitting{.boot = measure::boot_id(), .facts = measure::machine_facts()};
  sitting.facts.push_back({"fingerprint", measure::machine_fingerprint(sitting.facts)});
  return sitting;
}

/// What can be laid down before anything runs.
Record blank_record(const Plan& plan, const std::vector<plan::PlannedCell>& cells, const Options& options) {
  Record record;
  record.info = {.uid = draw_uid(),
                 .title = plan.title,
                 .kind = options.kind,
                 .plan = plan::to_toml(plan),
                 .seed = plan.seed.value_or(draw_seed()),
                 .started = std::chrono::duration_cast<std::chrono::milliseconds>(
                                std::chrono::system_clock::now().time_since_epoch())
                                .count(),
                 .margin = plan.margin,
                 .rounds_min = plan.rounds.min,
                 .rounds_max = plan.rounds.max,
                 .repeat = options.repeat};
  record.info.plan_digest = measure::digest_of(record.info.plan);
  const auto baseline = plan::baseline_of(plan);
  for (std::size_t i = 0; i < plan.candidates.size(); ++i) {
    const auto& planned = plan.candidates[i];
    Candidate candidate{.name = planned.name};
    if (CandidateId{static_cast<std::int64_t>(i)} != baseline) candidate.against = baseline;
    candidate.from.exe = planned.exe.empty() ? planned.run.front() : planned.exe;
    candidate.options = planned.run;
    for (const auto& [name, level] : planned.with) candidate.options.push_back(name + "=" + to_string(level));
    record.candidates.push_back(std::move(candidate));
  }
  for (const auto& workload : plan.workloads) record.workloads.push_back({workload.name, workload.run});
  for (const auto& planned : cells) record.cells.push_back(planned.cell);
  record.contrasts = plan::contrasts_of(cells, plan);
  const std::vector<std::string> watch =
      plan.watch.empty() ? std::vector<std::string>{"wall time"} : plan.watch;
  for (const auto& metric : process_metrics()) {
    record.metrics.push_back(metric);
    record.demands.push_back({.watched = std::ranges::count(watch, metric.name) > 0});
  }
  record.sittings.push_back(sitting_here());
  return record;
}

/// Finds every program and input file, so that a missing one is told before anything runs.
std::vector<ProcessCell> prepare(const Plan& plan, const std::vector<plan::PlannedCell>& cells,
                                 Record& record) {
  std::vector<ProcessCell> ready;
  for (const auto& planned : cells) {
    const auto& workload = plan.workloads[planned.cell.workload.place()];
    auto& candidate = record.candidates[planned.cell.candidate.place()];
    ProcessCell cell{.check = workload.check};
    cell.command.program = measure::find_program(planned.command.front(), plan.folder);
    cell.command.arguments = planned.command;
    cell.command.directory = plan.folder;
    cell.command.timeout = workload.timeout;
    if (!workload.stdin_file.empty())
      cell.command.stdin_file = measure::find_readable(workload.stdin_file, plan.folder);
    if (candidate.from.exe_digest.empty())
      candidate.from.exe_digest = measure::digest_of_file(cell.command.program);
    ready.push_back(std::move(cell));
  }
  return ready;
}

void fold_in(Recorder& recorder, Trial trial) {
  const auto cell = trial.cell;
  const auto outcome = trial.outcome;
  const auto detail = trial.detail;
  recorder.add_trial(std::move(trial));
  constexpr int not_here = 77;
  if (outcome == Outcome::wrong) recorder.set_standing(cell, Standing::wrong, detail);
  if (outcome == Outcome::failed && recorder.record().trials.back().exit_status == not_here)
    recorder.set_standing(cell, Standing::absent, "says that it does not support this (exit status 77)");
  else if (outcome != Outcome::ok && outcome != Outcome::wrong && outcome != Outcome::interrupted)
    recorder.set_standing(cell, Standing::failed, detail);
}

/// Runs every cell once, each baseline before what is held against it, and gives the unsound ones their
/// standing. False when stopped.
bool check_all(Recorder& recorder, Processes& processes, const Options& options) {
  const auto start = std::chrono::steady_clock::now();
  const auto contrasts = recorder.record().contrasts;
  std::vector<std::pair<CellId, std::optional<CellId>>> order;
  for (const auto& contrast : contrasts) {
    if (std::ranges::none_of(order, [&](const auto& o) { return o.first == contrast.baseline; }))
      order.push_back({contrast.baseline, {}});
    order.push_back({contrast.candidate, contrast.baseline});
  }
  int done = 0;
  for (const auto& [cell, baseline] : order) {
    if (options.stop.stop_requested()) return false;
    const double spent = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    if (options.observe)
      options.observe({.phase = Progress::Phase::checking,
                       .cell = cell,
                       .done = done,
                       .planned = static_cast<int>(order.size()),
                       .spent = spent});
    fold_in(recorder, processes.check(cell, baseline, options.stop));
    ++done;
  }
  return !options.stop.stop_requested();
}

}  // namespace

Findings carry_out(const Plan& given, const Options& options) {
  plan::validate(given);
  Plan plan = given;
  plan.folder =
      std::filesystem::absolute(plan.folder.empty() ? "." : plan.folder).lexically_normal().string();
  const auto cells = plan::expand_cells(plan);
  auto record = blank_record(plan, cells, options);
  auto ready = prepare(plan, cells, record);
  Recorder recorder(std::move(record), plan.factors, options.ledger);
  if (options.begun) options.begun(recorder.record());

  Processes processes(std::move(ready));
  auto ended = Ended::stopped;
  if (check_all(recorder, processes, options))
    ended = go_through_rounds(
        recorder, {.rounds = plan.rounds.max, .budget = plan.rounds.budget},
        [&](const Heat& heat, const std::stop_token& stop) { return processes.run(heat, stop); },
        options.observe, options.stop);
  recorder.set_state(ended == Ended::stopped ? CampaignState::interrupted : CampaignState::ended);
  return judge::judge_record(recorder.record());
}

}  // namespace assay::campaign
