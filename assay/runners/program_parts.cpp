#include <optional>
#include <span>
#include <utility>
#include <vector>

#include "assay/runners/program_runner.hpp"

namespace assay::runners {

std::optional<int> ProgramRunner::shared_program(CellId cell) const {
  const auto& part = cells_[cell].part;
  return part ? std::optional(part->program) : std::nullopt;
}

ProgramRunner::ProgramSamples ProgramRunner::run_program(CellId any_part, Role role,
                                                         const std::stop_token& stop) {
  auto run = prepare_run(any_part, role, stop);
  pause_before_run(std::span(&run, 1), stop);
  if (run.ready) run_alone(run, stop);
  finish(run);
  ProgramSamples whole{.trial = std::move(run.trial)};
  if (whole.trial.outcome == Outcome::ok && run.result.samples)
    whole.samples = parse_samples(run.result.samples->head());
  return whole;
}

Trial ProgramRunner::check_part(CellId cell, const std::stop_token& stop) {
  const auto program = cells_[cell].part->program;
  auto& checked = checked_programs_[program];
  if (!checked || checked->reported.contains(cell)) checked = run_program(cell, Role::check, stop);
  checked->reported.insert(cell);
  auto trial =
      trial_from_samples(cell, checked->trial, checked->samples, cells_[cell].part->setting, design_.metrics);
  mark_unsupported(trial);
  trial.readings.clear();
  return trial;
}

/// One run of a contest program, and a trial for each of its parts in the batch.
std::vector<Trial> ProgramRunner::run_parts(const Batch& batch, const std::stop_token& stop) {
  const auto whole = run_program(batch.cells.front(), batch.role, stop);
  std::vector<Trial> trials;
  for (const auto cell : batch.cells) {
    auto trial =
        trial_from_samples(cell, whole.trial, whole.samples, cells_[cell].part->setting, design_.metrics);
    if (trial.outcome == Outcome::unsupported)
      trial.outcome = Outcome::failed;  // it was there when it was checked
    trial.round = batch.round;
    trial.position = batch.position;
    trials.push_back(std::move(trial));
  }
  return trials;
}

}  // namespace assay::runners
