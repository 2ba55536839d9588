#pragma once

#include <map>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

#include "assay/check/answer.hpp"
#include "assay/measure/process.hpp"
#include "assay/model/plan.hpp"
#include "assay/model/trial.hpp"

namespace assay::campaign {

/// What it takes to run a cell whose candidate is a program.
struct ProcessCell {
  measure::Command command;
  Check check;
};

/// Runs cells as processes, one after the other, and says what each trial came to. The cells are addressed by
/// their place in the list given.
class Processes {
 public:
  explicit Processes(std::vector<ProcessCell> cells) : cells_(std::move(cells)) {}

  /// Runs `cell` once, before anything is timed. `baseline` is the cell whose answer was checked before and
  /// that this one's is held against; none for a baseline itself. Where equality is not asked for, the first
  /// difference is put into the trial's detail all the same. The answer is remembered for run().
  Trial check(CellId cell, std::optional<CellId> baseline, const std::stop_token& stop);

  /// A Runner: runs a heat of one cell. A trial whose answer is no longer the one that was checked, where
  /// equality was asked for, is wrong.
  std::vector<Trial> run(const Heat& heat, const std::stop_token& stop);

 private:
  struct Remembered {
    std::string head;
    std::string digest;
    bool whole = true;
    check::Answer answer() const { return {head, whole, digest}; }
  };

  /// Runs a cell and fills in everything but the check of its answer.
  Trial attempt(CellId cell, Role role, const std::stop_token& stop, measure::ProcessResult& result);

  std::vector<ProcessCell> cells_;
  measure::Launcher launcher_;
  std::map<CellId, Remembered> answers_;
};

}  // namespace assay::campaign
