#pragma once

#include <cstdint>
#include <map>
#include <memory>
#include <optional>
#include <set>
#include <span>
#include <stop_token>
#include <string>
#include <vector>

#include "assay/check/output.hpp"
#include "assay/engine/trial_runner.hpp"
#include "assay/measure/cgroup.hpp"
#include "assay/measure/process.hpp"
#include "assay/measure/system_load.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/model/design.hpp"
#include "assay/model/log.hpp"
#include "assay/model/plan.hpp"
#include "assay/plan/cells.hpp"
#include "assay/runners/capabilities.hpp"
#include "assay/runners/sample_lines.hpp"
#include "assay/runners/stored_output.hpp"
#include "assay/runners/trial_environment.hpp"

namespace assay::runners {

/// A file that a trial is to write, as it was before: one that has not changed was not written.
struct FileStamp {
  std::int64_t changed_ns = 0;
  std::uint64_t inode = 0, size = 0;
  bool operator==(const FileStamp&) const = default;
};

/// A metric of the user's own, for one cell.
struct UserMetric {
  PlannedMetric planned;
  std::optional<MetricId> id;       ///< none where it is not measured
  std::string file;                 ///< its `from` with placeholders expanded
  std::optional<FileStamp> before;  ///< of the trial that is running
};

/// What it takes to run a cell whose candidate is a program: what the plan has of it, and what was found
/// here.
struct ProgramCell {
  plan::PlannedCell planned;
  measure::Command command;
  std::string program;  ///< the file that is compared, which the command may start through others
  std::optional<std::string> expected;  ///< content of the check's file
  std::string folder;                   ///< the plan's
  std::optional<MetricId> throughput;
  double build_seconds = 0;  ///< 0 where nothing was built
  /// Where its build keeps what layouts need (empty: it does not), and the setting that it was built for.
  std::string relink, built_for;
  std::vector<UserMetric> metrics;
  /// Of a part of a contest program: the number of that program among the campaign's, and the part's setting
  /// as its samples have it.
  struct Part {
    int program = 0;
    std::string setting;
  };
  std::optional<Part> part;
  std::optional<int> port;  ///< of the server that it asks; empty: one is drawn for each trial that needs it
};

/// Runs cells as programs, one after the other or several at once, and says what each trial came to.
class ProgramRunner : public engine::TrialRunner {
 public:
  /// REQUIRES: `launcher`, `design` and `plan` outlive it.
  ProgramRunner(IdTable<CellId, ProgramCell> cells, measure::Launcher& launcher, const Design& design,
                const Plan& plan, Capabilities offer)
      : cells_(std::move(cells)),
        launcher_(launcher),
        design_(design),
        plan_(plan),
        ids_(design.metrics),
        offer_(std::move(offer)) {}

  /// Where equality is not asked for, the first difference from the baseline's answer is put into the trial's
  /// detail all the same. The answer is remembered for run().
  Trial check(CellId cell, std::optional<CellId> baseline, const std::stop_token& stop) override;

  /// A trial whose answer is no longer the one that was checked, where equality was asked for, is wrong.
  std::vector<Trial> run(const Batch& batch, const std::stop_token& stop) override;

  /// From now on the code of measured trials is sampled.
  void sample_code(engine::CodeSampling how) { sampling_ = std::move(how); }

  /// The port of the server that the cell's program is to ask in its next trial.
  void give_port(CellId cell, int port) { cells_[cell].port = port; }

  CodeSampleLog code_samples() override { return sampling_ ? sampling_->result() : CodeSampleLog(); }

  bool runs_in_batch(CellId /*cell*/) const override { return false; }
  bool can_run(CellId cell, Way way) const override;
  bool writes_files(CellId cell) const override;
  std::optional<int> shared_program(CellId cell) const override;
  bool allows_repeats(CellId cell) const override;
  double seconds_before_trial(CellId cell) const override;
  bool needs_final_check(CellId cell) const override;
  bool compares_answers(CellId cell) const override { return !cells_[cell].planned.check.equal.empty(); }
  double time_limit(CellId cell) const override { return cells_[cell].command.timeout; }
  std::vector<CheckWarning> check_warnings() const override;

 private:
  /// One run in the making: what it needs, and the result of it.
  struct Run {
    CellId cell;
    Trial trial;
    measure::Command command;
    std::unique_ptr<TrialEnvironment> staging;
    measure::ProcessResult result;
    measure::LoadDuring load_during;
    bool ready = false;                           ///< staged; else the trial says why not
    std::unique_ptr<measure::TrialCgroup> group;  ///< none where none can be had
    bool at_process_limit = false;                ///< it asked for more processes than it may have
  };

  /// A run of a contest program, and the parts that have taken their answer from it.
  struct ProgramSamples {
    Trial trial;
    ParsedSamples samples;
    std::set<CellId> reported;
  };
  ProgramSamples run_program(CellId any_part, Role role, const std::stop_token& stop);
  std::vector<Trial> run_parts(const Batch& batch, const std::stop_token& stop);
  Trial check_part(CellId cell, const std::stop_token& stop);
  bool is_concurrent() const { return plan_.rounds.mode == Way::abreast || plan_.rounds.mode == Way::slices; }
  bool asks_for_more(Way way) const;
  double shortest(std::span<const Run> runs) const;
  Run prepare_run(CellId cell, Role role, const std::stop_token& stop);
  void pause_before_run(std::span<Run> runs, const std::stop_token& stop) const;
  void ask_for_samples(std::vector<Run>& runs, const Batch& batch) const;
  void join_group(Run& run) const;
  void leave_group(Run& run) const;
  void run_alone(Run& run, const std::stop_token& stop);
  void run_concurrent(std::vector<Run>& runs, const Batch& batch, const std::stop_token& stop);
  void finish(Run& run, Way way = Way::turns);
  void recheck_output(const Batch& batch, Run& run, const std::stop_token& stop);
  const PlannedWorkload& workload_of(CellId cell) const {
    return plan_.workload(design_.cells[cell].workload);
  }

  IdTable<CellId, ProgramCell> cells_;
  measure::Launcher& launcher_;
  const Design& design_;
  const Plan& plan_;
  metrics::MetricIndex ids_;
  Capabilities offer_;
  measure::LoadMonitor watch_;
  std::map<CellId, StoredOutput> answers_;  ///< of checks
  std::map<CellId, double> shortest_;       ///< seconds of CPU time of a cell's quickest run so far
  std::set<CellId> writers_;                ///< whose checks wrote to more than their output
  std::optional<engine::CodeSampling> sampling_;
  /// The last checking run of each contest program.
  std::map<int, std::optional<ProgramSamples>> checked_programs_;
};

}  // namespace assay::runners
