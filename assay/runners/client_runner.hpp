#pragma once

#include <algorithm>
#include <map>
#include <optional>
#include <stop_token>
#include <vector>

#include "assay/engine/trial_runner.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/model/design.hpp"
#include "assay/model/error.hpp"
#include "assay/relink/layout_set.hpp"
#include "assay/runners/program_runner.hpp"
#include "assay/runners/server_runner.hpp"
#include "assay/runners/server_session.hpp"

namespace assay::runners {

class ServerSession;

/// Runs cells whose candidates are servers that a program of the user's own asks. Each trial starts its
/// server, runs the program, which is timed and checked as any other, and ends the server.
class ClientRunner : public engine::TrialRunner {
 public:
  /// `servers`: of the cells; `programs` runs what asks them. REQUIRES: all but the servers outlive it.
  ClientRunner(std::map<CellId, ServerCell> servers, ProgramRunner& programs, measure::Launcher& launcher,
               const Design& design)
      : servers_(std::move(servers)), programs_(programs), launcher_(launcher), ids_(design.metrics) {}

  bool handles(CellId cell) const { return servers_.contains(cell); }

  Trial check(CellId cell, std::optional<CellId> baseline, const std::stop_token& stop) override;
  /// A trial whose server did not get ready, or ended, is failed.
  std::vector<Trial> run(const Batch& batch, const std::stop_token& stop) override;

  bool runs_in_batch(CellId /*cell*/) const override { return false; }
  double seconds_before_trial(CellId cell) const override { return programs_.seconds_before_trial(cell); }
  bool needs_final_check(CellId cell) const override { return programs_.needs_final_check(cell); }
  double time_limit(CellId cell) const override { return programs_.time_limit(cell); }

 private:
  template <class Run>
  Trial with_server(CellId cell, Role role, const std::stop_token& stop, const Run& run);

  std::map<CellId, ServerCell> servers_;
  ProgramRunner& programs_;
  measure::Launcher& launcher_;
  metrics::MetricIndex ids_;
};

/// Runs each cell as what it is: a program, a server that gets requests, or one that a program asks. Each
/// round has its layout; checks are of the programs as they were built.
class DispatchRunner : public engine::TrialRunner {
 public:
  /// REQUIRES: all outlive it.
  DispatchRunner(ProgramRunner& programs, ServerRunner& services, ClientRunner& clients,
                 relink::LayoutSet& layouts, std::size_t cells)
      : programs_(programs),
        services_(services),
        clients_(clients),
        layouts_(layouts),
        link_seconds_(layouts.seconds() / static_cast<double>(std::max<std::size_t>(cells, 1))) {}

  Trial check(CellId cell, std::optional<CellId> baseline, const std::stop_token& stop) override {
    layouts_.restore();
    return runner_for(cell).check(cell, baseline, stop);
  }
  std::vector<Trial> run(const Batch& batch, const std::stop_token& stop) override {
    try {
      layouts_.install(batch.round, stop);
    } catch (const Cancelled&) {
      return interrupted(batch);
    }
    return runner_for(batch.cells.front()).run(batch, stop);
  }
  bool runs_in_batch(CellId cell) const override { return runner_for(cell).runs_in_batch(cell); }
  bool can_run(CellId cell, Way way) const override { return runner_for(cell).can_run(cell, way); }
  bool writes_files(CellId cell) const override { return runner_for(cell).writes_files(cell); }
  std::optional<int> shared_program(CellId cell) const override {
    return runner_for(cell).shared_program(cell);
  }
  /// Trials of one layout share its luck: more of them in a round would count as if they did not.
  bool allows_repeats(CellId cell) const override {
    return !layouts_.any() && runner_for(cell).allows_repeats(cell);
  }
  /// The links of a round's layout are shared by its cells.
  double seconds_before_trial(CellId cell) const override {
    return link_seconds_ + runner_for(cell).seconds_before_trial(cell);
  }
  bool needs_final_check(CellId cell) const override { return runner_for(cell).needs_final_check(cell); }
  bool compares_answers(CellId cell) const override { return runner_for(cell).compares_answers(cell); }
  double time_limit(CellId cell) const override { return runner_for(cell).time_limit(cell); }
  std::vector<CheckWarning> check_warnings() const override {
    auto all = programs_.check_warnings();
    for (auto& doubt : services_.check_warnings()) all.push_back(std::move(doubt));
    return all;
  }
  std::vector<std::string> decisions() const override { return services_.decisions(); }
  CodeSampleLog code_samples() override { return programs_.code_samples(); }
  void close() override { services_.close(); }

 private:
  static std::vector<Trial> interrupted(const Batch& batch) {
    std::vector<Trial> trials;
    for (const auto cell : batch.cells) {
      Trial trial{.cell = cell, .role = batch.role, .outcome = Outcome::interrupted};
      trial.round = batch.round;
      trial.position = batch.position + static_cast<int>(trials.size());
      trial.batch = batch.number;
      trial.detail = "was interrupted before it began";
      trials.push_back(std::move(trial));
    }
    return trials;
  }

  engine::TrialRunner& runner_for(CellId cell) const {
    if (services_.handles(cell)) return services_;
    if (clients_.handles(cell)) return clients_;
    return programs_;
  }

  ProgramRunner& programs_;
  ServerRunner& services_;
  ClientRunner& clients_;
  relink::LayoutSet& layouts_;
  double link_seconds_;  ///< of a round's layout, for each cell
};

}  // namespace assay::runners
