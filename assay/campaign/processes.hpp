#pragma once

#include <cstdint>
#include <map>
#include <memory>
#include <optional>
#include <span>
#include <stop_token>
#include <string>
#include <vector>

#include "assay/campaign/metrics.hpp"
#include "assay/campaign/staging.hpp"
#include "assay/check/answer.hpp"
#include "assay/measure/process.hpp"
#include "assay/measure/surroundings.hpp"
#include "assay/model/plan.hpp"
#include "assay/model/trial.hpp"

namespace assay::campaign {

/// A file that a trial is to write, as it was before: one that has not changed was not written.
struct FileStamp {
  std::int64_t changed_ns = 0;
  std::uint64_t inode = 0, size = 0;
  bool operator==(const FileStamp&) const = default;
};

/// A metric of the user's own, for one cell.
struct OwnMetric {
  PlannedMetric planned;
  std::string file;                 ///< its `from` with placeholders expanded
  std::optional<FileStamp> before;  ///< of the trial that is running
};

/// What it takes to run a cell whose candidate is a program.
struct ProcessCell {
  measure::Command command;
  std::string program;  ///< the file that is compared, which the command may start through others
  Check check;
  std::optional<std::string> expected;  ///< content of the check's file
  Control control;
  std::string folder;          ///< the plan's
  std::optional<double> work;  ///< amount done by a trial
  std::string throughput;      ///< the metric's name
  std::vector<OwnMetric> metrics;
};

/// Runs cells as processes, one after the other or abreast, and says what each trial came to. The cells are
/// addressed by their place in the list given.
class Processes {
 public:
  /// `ids` are the record's metrics.
  Processes(std::vector<ProcessCell> cells, measure::Launcher& launcher, MetricIds ids, Offer offer)
      : cells_(std::move(cells)), launcher_(launcher), ids_(std::move(ids)), offer_(std::move(offer)) {}

  /// Runs `cell` once, before anything is timed. `baseline` is the cell whose answer was checked before and
  /// that this one's is held against; none for a baseline itself. Where equality is not asked for, the first
  /// difference is put into the trial's detail all the same. The answer is remembered for run().
  Trial check(CellId cell, std::optional<CellId> baseline, const std::stop_token& stop);

  /// A Runner: runs a heat of one cell, or of several abreast. A trial whose answer is no longer the one that
  /// was checked, where equality was asked for, is wrong.
  std::vector<Trial> run(const Heat& heat, const std::stop_token& stop);

  /// Whether the cell was checked and wrote nothing to standard output.
  bool answered_nothing(CellId cell) const;

 private:
  struct Remembered {
    std::string head;
    std::string digest;
    std::uint64_t size = 0;
    check::Answer answer() const { return {head, size <= measure::Capture::kept, digest, size}; }
  };

  /// One run in the making: what it needs, and what came of it.
  struct Run {
    CellId cell;
    Trial trial;
    measure::Command command;
    std::unique_ptr<Staging> staging;
    measure::ProcessResult result;
    measure::Surroundings beside;
    bool ready = false;  ///< staged; else the trial says why not
  };

  Run stage(CellId cell, Role role, const std::stop_token& stop);
  void run_alone(Run& run, const std::stop_token& stop);
  void run_abreast(std::vector<Run>& runs, const std::stop_token& stop);
  void finish(Run& run);
  void hold_against_check(const Heat& heat, Run& run, const std::stop_token& stop);

  std::vector<ProcessCell> cells_;
  measure::Launcher& launcher_;
  MetricIds ids_;
  Offer offer_;
  measure::Watch watch_;
  std::map<CellId, Remembered> answers_;
};

}  // namespace assay::campaign
