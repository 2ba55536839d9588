#include "assay/campaign/carry_out.hpp"

#include <algorithm>
#include <chrono>
#include <filesystem>
#include <functional>
#include <set>
#include <thread>

#include "assay/campaign/identity.hpp"
#include "assay/campaign/metrics.hpp"
#include "assay/campaign/processes.hpp"
#include "assay/campaign/recorder.hpp"
#include "assay/judge/findings.hpp"
#include "assay/measure/digest.hpp"
#include "assay/measure/program.hpp"
#include "assay/measure/program_size.hpp"
#include "assay/measure/turnstile.hpp"
#include "assay/model/error.hpp"
#include "assay/plan/matrix.hpp"
#include "assay/plan/read.hpp"
#include "assay/plan/validate.hpp"

namespace assay::campaign {
namespace {

/// What can be laid down before anything runs.
Record blank_record(const Plan& plan, const std::vector<plan::PlannedCell>& cells, const Offer& offer,
                    const Options& options) {
  Record record;
  record.info = {.uid = draw_uid(),
                 .title = plan.title,
                 .kind = options.kind,
                 .plan = plan::to_toml(plan),
                 .seed = plan.seed.value_or(draw_seed()),
                 .started = milliseconds_now(),
                 .margin = plan.margin,
                 .rounds_min = plan.rounds.min,
                 .rounds_max = plan.rounds.max,
                 .abreast = plan.rounds.mode == PlannedRounds::Mode::abreast,
                 .repeat = options.repeat};
  record.factors = plan.factors;
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
  lay_out_metrics(plan, offer, record);
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
    ProcessCell cell{.check = workload.check,
                     .control = planned.control,
                     .folder = plan.folder,
                     .work = planned.work,
                     .throughput = throughput_name(plan, workload.work)};
    cell.command.program = measure::find_program(planned.command.front(), plan.folder);
    cell.command.arguments = planned.command;
    cell.command.directory = plan.folder;
    cell.command.timeout = workload.timeout;
    cell.command.environment = planned.control.environment;
    cell.command.cores = planned.control.cores;
    cell.command.nice = planned.control.nice;
    cell.command.memory_limit = planned.control.memory_limit;
    for (const auto* step : {&planned.control.before, &planned.control.after})
      if (!step->run.empty()) measure::find_program(step->run.front(), plan.folder);
    for (std::size_t i = 0; i < plan.metrics.size(); ++i) {
      const auto& own = plan.metrics[i];
      const bool here = own.workloads.empty() || std::ranges::count(own.workloads, workload.name) > 0;
      if (!own.from.empty() && here) cell.metrics.push_back({own, planned.metric_files[i], {}});
    }
    if (!workload.stdin_file.empty())
      cell.command.stdin_file = measure::find_readable(workload.stdin_file, plan.folder);
    if (candidate.from.exe_digest.empty())
      candidate.from.exe_digest = measure::digest_of_file(cell.command.program);
    ready.push_back(std::move(cell));
  }
  return ready;
}

/// The sizes of every program that is compared, as the trial of a build that was found made. Each pair of
/// programs has them once.
void lay_down_sizes(Recorder& recorder, const std::vector<ProcessCell>& cells, const MetricIds& ids) {
  std::set<std::pair<std::string, std::string>> compared;
  std::set<CellId> told;
  const auto contrasts = recorder.record().contrasts;
  for (const auto& contrast : contrasts) {
    const auto& baseline = cells[contrast.baseline.place()].command.program;
    const auto& candidate = cells[contrast.candidate.place()].command.program;
    if (!compared.emplace(baseline, candidate).second) continue;
    for (const auto cell : {contrast.baseline, contrast.candidate}) {
      const auto size = measure::size_of_program(cells[cell.place()].command.program);
      if (!size || !told.insert(cell).second) continue;
      Trial trial{.cell = cell, .role = Role::build};
      const auto add = [&](const char* name, std::optional<std::uint64_t> bytes) {
        if (const auto id = ids.find(name); id && bytes)
          trial.readings.push_back({*id, static_cast<double>(*bytes)});
      };
      add("program size", size->file);
      add("text size", size->text);
      add("data size", size->data);
      recorder.add_trial(std::move(trial));
    }
  }
}

/// Takes the machine's turnstile, or says that another has it. False when stopped while waiting.
bool take_turn(measure::Turnstile& turnstile, const Options& options, Record& record) {
  if (turnstile.enter()) return true;
  if (options.busy) options.busy(options.when_busy);
  if (options.when_busy == Options::WhenBusy::go_on) {
    record.sittings.front().facts.push_back({"beside another campaign", "yes"});
    return true;
  }
  while (!turnstile.enter()) {
    if (options.stop.stop_requested()) return false;
    std::this_thread::sleep_for(std::chrono::milliseconds(200));
  }
  return true;
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
  measure::Launcher launcher;
  const auto offer = what_is_offered(launcher);
  auto record = blank_record(plan, cells, offer, options);
  auto ready = prepare(plan, cells, record);
  measure::Turnstile turnstile;
  const bool our_turn = take_turn(turnstile, options, record);
  Recorder recorder(std::move(record), options.ledger);
  const MetricIds ids(recorder.record());
  if (options.begun) options.begun(recorder.record());
  lay_down_sizes(recorder, ready, ids);

  Processes processes(std::move(ready), launcher, ids, offer);
  auto ended = Ended::stopped;
  if (our_turn && check_all(recorder, processes, options))
    ended = go_through_rounds(
        recorder,
        {.rounds = plan.rounds.max,
         .budget = plan.rounds.budget,
         .together = plan.rounds.mode == PlannedRounds::Mode::abreast},
        [&](const Heat& heat, const std::stop_token& stop) { return processes.run(heat, stop); },
        options.observe, options.stop);
  recorder.set_state(ended == Ended::stopped ? CampaignState::interrupted : CampaignState::ended);
  return judge::judge_record(recorder.record());
}

}  // namespace assay::campaign
