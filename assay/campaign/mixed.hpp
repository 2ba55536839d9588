#pragma once

#include <vector>

#include "assay/campaign/clients.hpp"
#include "assay/campaign/processes.hpp"
#include "assay/campaign/services.hpp"

namespace assay::inline v1::campaign {

/// Runs each cell as what it is: a program, a server that gets requests, or one that a program asks.
class Mixed : public Rig {
 public:
  /// REQUIRES: all outlive it.
  Mixed(Processes& programs, Services& services, Clients& clients)
      : programs_(programs), services_(services), clients_(clients) {}

  Trial check(CellId cell, std::optional<CellId> baseline, const std::stop_token& stop) override {
    return of(cell).check(cell, baseline, stop);
  }
  std::vector<Trial> run(const Heat& heat, const std::stop_token& stop) override {
    return of(heat.cells.front()).run(heat, stop);
  }
  bool runs_together(CellId cell) const override { return of(cell).runs_together(cell); }
  std::optional<int> program_of(CellId cell) const override { return of(cell).program_of(cell); }
  bool may_repeat(CellId cell) const override { return of(cell).may_repeat(cell); }
  double pause_before(CellId cell) const override { return of(cell).pause_before(cell); }
  bool is_worth_checking_again(CellId cell) const override { return of(cell).is_worth_checking_again(cell); }
  std::vector<Doubt> doubts() const override {
    auto all = programs_.doubts();
    for (auto& doubt : services_.doubts()) all.push_back(std::move(doubt));
    return all;
  }
  std::vector<std::string> choices() const override { return services_.choices(); }
  void close() override { services_.close(); }

 private:
  Rig& of(CellId cell) const {
    if (services_.serves(cell)) return services_;
    if (clients_.asks(cell)) return clients_;
    return programs_;
  }

  Processes& programs_;
  Services& services_;
  Clients& clients_;
};

}  // namespace assay::inline v1::campaign
