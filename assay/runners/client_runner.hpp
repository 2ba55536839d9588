#pragma once

#include <map>
#include <optional>
#include <stop_token>
#include <vector>

#include "assay/engine/trial_runner.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/model/design.hpp"
#include "assay/runners/program_runner.hpp"
#include "assay/runners/server_cell.hpp"

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

 private:
  template <class Run>
  Trial with_server(CellId cell, Role role, const std::stop_token& stop, const Run& run);

  std::map<CellId, ServerCell> servers_;
  ProgramRunner& programs_;
  measure::Launcher& launcher_;
  metrics::MetricIndex ids_;
};

}  // namespace assay::runners
