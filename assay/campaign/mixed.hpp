#pragma once

#include <algorithm>
#include <vector>

#include "assay/campaign/clients.hpp"
#include "assay/campaign/layouts.hpp"
#include "assay/campaign/processes.hpp"
#include "assay/campaign/services.hpp"
#include "assay/model/stopped.hpp"

namespace assay::inline v1::campaign {

/// Runs each cell as what it is: a program, a server that gets requests, or one that a program asks. Each
/// round has its layout; checks are of the programs as they were built.
class Mixed : public Rig {
 public:
  /// REQUIRES: all outlive it.
  Mixed(Processes& programs, Services& services, Clients& clients, Layouts& layouts, std::size_t cells)
      : programs_(programs),
        services_(services),
        clients_(clients),
        layouts_(layouts),
        link_seconds_(layouts.seconds() / static_cast<double>(std::max<std::size_t>(cells, 1))) {}

  Trial check(CellId cell, std::optional<CellId> baseline, const std::stop_token& stop) override {
    layouts_.use_own();
    return of(cell).check(cell, baseline, stop);
  }
  std::vector<Trial> run(const Heat& heat, const std::stop_token& stop) override {
    try {
      layouts_.use(heat.round, stop);
    } catch (const Stopped&) {
      return interrupted(heat);
    }
    return of(heat.cells.front()).run(heat, stop);
  }
  bool runs_together(CellId cell) const override { return of(cell).runs_together(cell); }
  std::optional<int> program_of(CellId cell) const override { return of(cell).program_of(cell); }
  /// Trials of one layout share its luck: more of them in a round would count as if they did not.
  bool may_repeat(CellId cell) const override { return !layouts_.any() && of(cell).may_repeat(cell); }
  /// The links of a round's layout are shared by its cells.
  double pause_before(CellId cell) const override { return link_seconds_ + of(cell).pause_before(cell); }
  bool is_worth_checking_again(CellId cell) const override { return of(cell).is_worth_checking_again(cell); }
  std::vector<Doubt> doubts() const override {
    auto all = programs_.doubts();
    for (auto& doubt : services_.doubts()) all.push_back(std::move(doubt));
    return all;
  }
  std::vector<std::string> choices() const override { return services_.choices(); }
  void close() override { services_.close(); }

 private:
  static std::vector<Trial> interrupted(const Heat& heat) {
    std::vector<Trial> trials;
    for (const auto cell : heat.cells) {
      Trial trial{.cell = cell, .role = heat.role, .outcome = Outcome::interrupted};
      trial.round = heat.round;
      trial.position = heat.position + static_cast<int>(trials.size());
      trial.heat = heat.number;
      trial.detail = "was interrupted before it began";
      trials.push_back(std::move(trial));
    }
    return trials;
  }

  Rig& of(CellId cell) const {
    if (services_.serves(cell)) return services_;
    if (clients_.asks(cell)) return clients_;
    return programs_;
  }

  Processes& programs_;
  Services& services_;
  Clients& clients_;
  Layouts& layouts_;
  double link_seconds_;  ///< of a round's layout, for each cell
};

}  // namespace assay::inline v1::campaign
