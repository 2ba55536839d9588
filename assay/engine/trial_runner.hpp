#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

#include "assay/measure/sampling.hpp"
#include "assay/model/log.hpp"

namespace assay::engine {

/// That the code of measured trials is sampled, and who takes what was sampled.
struct CodeSampling {
  /// CPU time between samples, drawn for each round within a tenth of this and alike for both sides, so that a
  /// program with a beat of its own is not always seen in one phase of it.
  double period = 250e-6;
  /// Who finds the callers of libraries' code; none: their time is that of the libraries' functions.
  std::shared_ptr<measure::CallerFinder> callers;
  /// Called once for each trial that ended well, in the thread that runs it. `cpu`: its CPU time in seconds. `requests`:
  /// that a server was asked meanwhile; 0: a program.
  std::function<void(const Trial& trial, double cpu, double requests, const measure::CodeSamples& code)> take;
  /// All that was taken, with names. Called once, after the last round.
  std::function<CodeSampleLog()> result;
};

/// How the programs of a batch are sampled: period and phase are drawn anew, see measure::Sampling.
measure::Sampling draw_sampling(const CodeSampling& how, std::uint64_t seed, const Batch& batch);

/// Whatever runs trials: programs, functions, services. Cells are those of the campaign's design. Throws
/// Error only for what the caller must fix: a trial that fails is data.
class TrialRunner {
 public:
  virtual ~TrialRunner() = default;

  /// Runs `cell` once, untimed, and says whether its answer is right: a trial of role `check`, whose outcome
  /// is `absent` when the cell does not support this. `baseline` is the cell whose answer was checked before
  /// and that this one's is compared with; none for a baseline itself.
  virtual Trial check(CellId cell, std::optional<CellId> baseline, const std::stop_token& stop) = 0;

  /// Runs the cells of a batch now and returns a trial for each, in the same order. On a stop request it ends
  /// them and returns them as interrupted.
  virtual std::vector<Trial> run(const Batch& batch, const std::stop_token& stop) = 0;

  /// Whether this cell is always run in a batch with the others of its workload and setting, whatever the
  /// way.
  virtual bool runs_in_batch(CellId cell) const = 0;

  /// Whether the cell can be run this way, and what is asked of it can be measured then.
  virtual bool can_run(CellId, Way way) const { return way == Way::turns; }

  /// Whether the cell's trials write to files that those of another cell may write too, as far as its check
  /// showed.
  virtual bool writes_files(CellId) const { return false; }

  /// Cells with the same number are parts of one program and come from one run of it; empty: the cell is run
  /// for itself.
  virtual std::optional<int> shared_program(CellId) const { return {}; }

  /// Whether the cell may be run several times in a round: its trials run alone, and take little besides
  /// their own time.
  virtual bool allows_repeats(CellId) const { return false; }

  /// Seconds that pass in a round before each trial of the cell and are not part of it.
  virtual double seconds_before_trial(CellId) const { return 0; }

  /// Whether a cell's answer has to be equal to another's, so that it is the same wherever it runs.
  virtual bool compares_answers(CellId) const { return false; }

  /// Seconds after which a trial that still runs is ended.
  virtual double time_limit(CellId) const { return 60; }

  /// Whether checking a cell once more at the end could tell anything that its trials did not.
  virtual bool needs_final_check(CellId cell) const = 0;

  /// What the workloads' checks leave open, once they have been run.
  virtual std::vector<CheckWarning> check_warnings() const { return {}; }

  /// What it chose where the plan leaves it open, in words, once the checks have been run.
  virtual std::vector<std::string> decisions() const { return {}; }

  /// What was sampled of the rounds' programs. Called after the last round, before close().
  virtual CodeSampleLog code_samples() { return {}; }

  /// Gives back what trials need. Called once, when no more will be run.
  virtual void close() {}
};

}  // namespace assay::engine
