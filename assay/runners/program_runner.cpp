#include "assay/runners/program_runner.hpp"

#include <algorithm>
#include <csignal>
#include <cstring>
#include <filesystem>

#include "assay/model/text.hpp"
#include "assay/runners/output_check.hpp"
#include "assay/runners/program_metrics.hpp"
#include "assay/runners/trial_environment.hpp"
#include "assay/stats/random.hpp"

namespace assay::runners {
namespace {

using measure::Counter;

/// Whether it died for lack of memory: it came near to what it may hold.
bool at_memory_limit(const measure::ProcessResult& result, const Control& control) {
  return control.memory_limit > 0 && result.peak_memory >= 0.9 * static_cast<double>(control.memory_limit);
}

void classify_exit(const measure::ProcessResult& result, const ProgramCell& cell, Trial& trial) {
  const auto says = [&](Outcome outcome, std::string why) {
    trial.outcome = outcome;
    if (!result.not_started && !result.timed_out && cell.planned.control.memory_limit > 0) {
      if (at_memory_limit(result, cell.planned.control)) trial.outcome = Outcome::over_limit;
      why += " (its memory was limited to " + bytes_text(cell.planned.control.memory_limit) + ")";
    }
    trial.detail = why + stderr_tail(result);
  };
  const auto& ok = cell.planned.check.exit_ok;
  if (result.not_started)
    says(Outcome::failed, *result.not_started);
  else if (result.lost)
    says(Outcome::failed, *result.lost);
  else if (result.interrupted)
    trial.outcome = Outcome::interrupted;
  else if (result.timed_out)
    says(Outcome::timed_out, "took longer than its time limit of " + duration_text(cell.command.timeout));
  else if (result.signal == SIGXFSZ)
    says(Outcome::over_limit, "wrote a file of more than " + bytes_text(cell.planned.control.file_limit) +
                                  "; file_limit in [control] is how large one may be");
  else if (result.signal != 0)
    says(Outcome::signalled,
         "ended by signal " + std::to_string(result.signal) + " (" + strsignal(result.signal) + ")");
  else if (std::ranges::count(ok, result.exit_status) == 0)
    says(Outcome::failed, "ended with exit status " + std::to_string(result.exit_status));
}

}  // namespace

ProgramRunner::Run ProgramRunner::prepare_run(CellId cell, Role role, const std::stop_token& stop) {
  auto& what = cells_[cell];
  Run run{.cell = cell, .trial = {.cell = cell, .role = role}, .command = what.command};
  auto control = what.planned.control;
  bind_port(run.command, control, what.port);
  run.staging = std::make_unique<TrialEnvironment>(launcher_, std::move(control), what.folder);
  if (const auto problem = run.staging->begin(stop)) {
    run.trial.outcome = stop.stop_requested() ? Outcome::interrupted : Outcome::failed;
    run.trial.detail = *problem;
    return run;
  }
  run.ready = true;
  run.command.directory = run.staging->directory();
  run.command.discard_output = role != Role::check && !what.planned.control.keep_output;
  for (auto& own : what.metrics) {
    run.command.samples = run.command.samples || own.planned.from == "samples";
    own.before = stamp((std::filesystem::path(run.command.directory) / own.file).string());
  }
  run.command.samples = run.command.samples || what.part.has_value();
  run.command.counting = offer_.counters;
  if (role == Role::check) run.command.counting.push_back(Counter::task_clock);
  return run;
}

/// The pause before what runs next, one for all that run at once.
void ProgramRunner::pause_before_run(std::span<Run> runs, const std::stop_token& stop) const {
  double seconds = 0;
  for (const auto& run : runs)
    if (run.ready) seconds = std::max(seconds, cells_[run.cell].planned.control.pause);
  if (!(seconds > 0) || sleep_for(seconds, stop)) return;
  for (auto& run : runs) {
    run.ready = false;
    run.trial.outcome = Outcome::interrupted;
    run.trial.detail = "was interrupted before it began";
  }
}

void ProgramRunner::ask_for_samples(std::vector<Run>& runs, const Batch& batch) const {
  if (!sampling_ || batch.role != Role::measured) return;
  for (auto& run : runs) run.command.sampling = engine::draw_sampling(*sampling_, design_.rules.seed, batch);
}

/// A control group for the trial's processes, where one can be had. One that tells no more than what they wait
/// for is for trials that show what kind of program this is: it costs some milliseconds to make.
void ProgramRunner::join_group(Run& run) const {
  const auto role = run.trial.role;
  const bool shows_kind = role == Role::check || role == Role::warm_up || role == Role::pilot;
  if (offer_.groups.folder.empty() || !(offer_.groups.accounts_memory || shows_kind)) return;
  run.group = std::make_unique<measure::TrialCgroup>(offer_.groups.folder,
                                                     cells_[run.cell].planned.control.process_limit);
  run.command.cgroup_file = run.group->procs_file();
}

/// What the group saw, when the run is over.
void ProgramRunner::leave_group(Run& run) const {
  if (!run.group) return;
  run.at_process_limit = run.group->was_at_process_limit();
  const auto id = ids_.find(metrics::MetricKind::tree_memory);
  if (const auto peak = run.group->peak(); id && peak) run.trial.readings.push_back({*id, *peak});
  if (const auto waited = run.group->core_wait())  // the launcher knows that of main processes only
    run.result.core_wait = std::max(run.result.core_wait.value_or(0), *waited);
  run.group.reset();
}

void ProgramRunner::run_alone(Run& run, const std::stop_token& stop) {
  join_group(run);
  const auto before = watch_.now();
  run.result = launcher_.run(run.command, stop);
  run.load_during = measure::difference(before, watch_.now(), run.result.user + run.result.system);
  leave_group(run);
}

/// Seconds of the quickest of these programs, as far as known.
double ProgramRunner::shortest(std::span<const Run> runs) const {
  double least = 0;
  for (const auto& run : runs)
    if (const auto known = shortest_.find(run.cell); known != shortest_.end())
      least = least > 0 ? std::min(least, known->second) : known->second;
  return least;
}

void ProgramRunner::run_concurrent(std::vector<Run>& runs, const Batch& batch, const std::stop_token& stop) {
  std::vector<measure::Command> commands;
  for (auto& run : runs) {
    join_group(run);
    commands.push_back(run.command);
  }
  // Long slices let each program find its caches as it left them; a dozen at least even out what comes and
  // goes.
  constexpr double long_slice = 0.05, short_slice = 0.02, least_slice = 0.003, fewest = 12;
  const bool abreast = batch.way == Way::abreast;
  const double slice = std::clamp(shortest(runs) / fewest, least_slice, abreast ? long_slice : short_slice);
  const auto& cores = commands.front().cores;
  const auto before = watch_.now();
  auto results =
      abreast ? launcher_.run_abreast(
                    commands, cores.empty() ? measure::cores_allowed().back() : cores.front(), slice, stop)
              : launcher_.run_in_slices(commands, slice,
                                        design_.rules.seed + static_cast<std::uint64_t>(batch.round), stop);
  const auto after = watch_.now();
  double cpu = 0;
  for (const auto& result : results) cpu += result.user + result.system;
  for (std::size_t i = 0; i < runs.size(); ++i) {
    runs[i].result = std::move(results[i]);
    leave_group(runs[i]);
    // What the batch ran beside is reported once, or it would count for each.
    const auto beside = measure::difference(before, after, cpu);
    runs[i].load_during = i == 0 ? beside : measure::LoadDuring{.suspended = beside.suspended};
  }
}

/// Makes the trial out of the result of the run, and clears up after it.
void ProgramRunner::finish(Run& run, Way way) {
  const auto& what = cells_[run.cell];
  auto& trial = run.trial;
  if (run.ready) {
    classify_exit(run.result, what, trial);
    if (trial.outcome != Outcome::ok && run.at_process_limit)
      trial.detail += " (it asked for more than its " + std::to_string(what.planned.control.process_limit) +
                      " processes; process_limit in [control] is how many it may have)";
    if (run.result.peer_failed) trial.outcome = Outcome::discarded;
    if (run.result.left_group && trial.outcome == Outcome::ok) {
      trial.outcome = Outcome::failed;
      trial.detail =
          "a process left its program's process group, so that it can't be stopped in slices; run it in "
          "turns (mode = \"turns\", --turns)";
    }
    if (!run.result.not_started) {
      trial.exit_status = run.result.exit_status;
      trial.signal = run.result.signal;
      trial.orphans = run.result.orphans;
      if (run.result.out) {
        trial.output_bytes = run.result.out->bytes();
        trial.output_digest = run.result.out->digest();
      }
      add_program_metrics(run.result, run.load_during, what, ids_, way, trial);
      if (const double cpu = run.result.user + run.result.system; trial.outcome == Outcome::ok && cpu > 0) {
        const auto [known, fresh] = shortest_.try_emplace(run.cell, cpu);
        known->second = std::min(known->second, cpu);
      }
      if (const auto id = ids_.find(metrics::MetricKind::warm_page_share);
          id && !what.planned.control.cold.empty())
        trial.readings.push_back({*id, run.staging->warm_page_share()});
      add_user_metrics(run.result, run.command.directory, what, trial);
      if (run.load_during.suspended && trial.role != Role::check && trial.outcome != Outcome::interrupted) {
        trial.outcome = Outcome::discarded;
        trial.detail = "the machine slept during this trial";
      }
    }
  }
  const auto problem = run.staging->end();
  if (problem && trial.outcome == Outcome::ok) {
    trial.outcome = Outcome::failed;
    trial.detail = *problem;
  }
}

/// Whether something is watched, or demanded, that programs which are run this way have no values of.
bool ProgramRunner::asks_for_more(Way way) const {
  const auto needs = [&](const Metric& metric) {
    const auto* row = metrics::find_metric_info(metric.name);
    return row != nullptr && !metrics::is_measured(*row, way);
  };
  const bool watched =
      !plan_.watch.empty() && std::ranges::any_of(design_.metrics, [&](const Metric& metric) {
        return metric.request.watched && needs(metric);
      });
  const bool demanded = std::ranges::any_of(
      design_.metrics, [&](const Metric& metric) { return metric.request.require && needs(metric); });
  return watched || demanded;
}

bool ProgramRunner::can_run(CellId cell, Way way) const {
  if (way == Way::turns) return true;
  const auto& what = cells_[cell];
  const auto& control = what.planned.control;
  if (what.part || !control.cold.empty()) return false;
  // Steps around each trial prepare a place for it alone.
  const bool alone = !control.fresh && (!control.before.run.empty() || !control.after.run.empty());
  if (alone && plan_.rounds.mode == Way::automatic) return false;
  const bool asked = plan_.rounds.mode == way;
  if (!asked && (asks_for_more(way) || !what.metrics.empty())) return false;
  if (way == Way::slices) return true;
  if (control.nice != 0 || control.memory_limit > 0 || control.cores.size() > 1) return false;
  return asked || workload_of(cell).work == Work{};
}

bool ProgramRunner::writes_files(CellId cell) const {
  return writers_.contains(cell) && !cells_[cell].planned.control.fresh;
}

bool ProgramRunner::allows_repeats(CellId cell) const {
  // What goes before and after a trial may take long, and their time is unknown.
  const auto& control = cells_[cell].planned.control;
  return !is_concurrent() && !cells_[cell].part && control.before.run.empty() && control.after.run.empty() &&
         control.cold.empty() && !(control.pause > 0);
}

double ProgramRunner::seconds_before_trial(CellId cell) const {
  if (!is_concurrent()) return cells_[cell].planned.control.pause;
  const auto& mine = design_.cells[cell];  // those that run at once pause once
  const auto together = std::ranges::count_if(design_.cells, [&](const Cell& other) {
    return other.workload == mine.workload && other.setting == mine.setting;
  });
  return cells_[cell].planned.control.pause / static_cast<double>(together);
}

std::vector<Trial> ProgramRunner::run(const Batch& batch, const std::stop_token& stop) {
  if (cells_[batch.cells.front()].part) return run_parts(batch, stop);
  std::vector<Run> runs;
  for (const auto cell : batch.cells) runs.push_back(prepare_run(cell, batch.role, stop));
  ask_for_samples(runs, batch);
  pause_before_run(runs, stop);
  const bool all_ready = std::ranges::all_of(runs, &Run::ready);
  const auto way = runs.size() > 1 ? batch.way : Way::turns;
  if (runs.size() > 1 && all_ready) run_concurrent(runs, batch, stop);
  if (runs.size() == 1 && all_ready) run_alone(runs.front(), stop);
  std::vector<Trial> trials;
  for (std::size_t i = 0; i < runs.size(); ++i) {
    auto& run = runs[i];
    if (run.ready && !all_ready) {
      run.ready = false;
      run.trial.outcome = stop.stop_requested() ? Outcome::interrupted : Outcome::discarded;
      run.trial.detail = "another candidate beside it could not be made ready";
    }
    finish(run, way);
    recheck_output(batch, run, stop);
    // A pilot that goes wrong at once speaks against running at once, not against its program.
    if (batch.role == Role::pilot && way != Way::turns && run.trial.outcome != Outcome::ok &&
        run.trial.outcome != Outcome::interrupted)
      run.trial.outcome = Outcome::discarded;
    run.trial.round = batch.round;
    run.trial.position = batch.position + static_cast<int>(i);
    run.trial.batch = batch.number;
    if (sampling_ && run.result.code && run.trial.outcome == Outcome::ok)
      sampling_->take(run.trial, run.result.user + run.result.system, 0, *run.result.code);
    trials.push_back(std::move(run.trial));
  }
  return trials;
}

}  // namespace assay::runners
