#pragma once

#include <map>
#include <optional>
#include <stop_token>
#include <vector>

#include "assay/campaign/processes.hpp"
#include "assay/campaign/rig.hpp"
#include "assay/campaign/service_cell.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/model/design.hpp"

namespace assay::inline v1::campaign {

class ServiceLife;

/// Runs cells whose candidates are servers that a program of the user's own asks. Each trial starts its
/// server afresh, runs the program, which is timed and checked as any other, and ends the server.
class Clients : public Rig {
 public:
  /// `servers`: of the cells; `programs` runs what asks them. REQUIRES: all but the servers outlive it.
  Clients(std::map<CellId, ServiceCell> servers, Processes& programs, measure::Launcher& launcher,
          const Design& design)
      : servers_(std::move(servers)), programs_(programs), launcher_(launcher), ids_(design.metrics) {}

  bool asks(CellId cell) const { return servers_.contains(cell); }

  Trial check(CellId cell, std::optional<CellId> baseline, const std::stop_token& stop) override;
  /// A trial whose server did not get ready, or ended, is failed.
  std::vector<Trial> run(const Heat& heat, const std::stop_token& stop) override;

  bool runs_together(CellId /*cell*/) const override { return false; }
  double pause_before(CellId cell) const override { return programs_.pause_before(cell); }
  bool is_worth_checking_again(CellId cell) const override { return programs_.is_worth_checking_again(cell); }

 private:
  template <class Run>
  Trial beside_server(CellId cell, Role role, const std::stop_token& stop, const Run& run);

  std::map<CellId, ServiceCell> servers_;
  Processes& programs_;
  measure::Launcher& launcher_;
  metrics::Index ids_;
};

}  // namespace assay::inline v1::campaign
