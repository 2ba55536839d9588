#pragma once

#include <functional>
#include <stop_token>
#include <vector>

#include "assay/campaign/rounds.hpp"
#include "support/observing.hpp"
#include "support/records.hpp"

namespace assay::test {

inline campaign::Recorder recorder_for(std::size_t candidates) {
  auto record = record_of(std::vector<std::vector<double>>(candidates, {1.0}));
  record.log.rounds.clear();
  record.log.trials.clear();
  record.log.state = CampaignState::open;
  return campaign::Recorder(record, {});
}

/// A rig whose trials come from a function, and a clock that only they move: a second each.
struct FakeRig : campaign::Rig {
  std::function<void(Trial&)> change = [](Trial&) {};
  double now = 0;
  int checks = 0, closed = 0;
  bool repeats = false;
  double pause = 0;

  Trial check(CellId cell, std::optional<CellId>, const std::stop_token&) override {
    ++checks;
    Trial trial{.cell = cell, .role = Role::check};
    change(trial);
    return trial;
  }
  std::vector<Trial> run(const Heat& heat, const std::stop_token&) override {
    Trial trial{
        .cell = heat.cells.front(), .round = heat.round, .role = heat.role, .position = heat.position};
    trial.readings = {{MetricId{0}, 1.0}};
    now += 1;
    change(trial);
    return {trial};
  }
  bool runs_together(CellId /*cell*/) const override { return false; }
  bool may_repeat(CellId) const override { return repeats; }
  double pause_before(CellId) const override { return pause; }
  bool is_worth_checking_again(CellId) const override { return true; }
  std::vector<Doubt> doubts() const override { return {{WorkloadId{0}, "nothing checks what it answers"}}; }
  void close() override { ++closed; }

  campaign::Clock clock() {
    return [this] { return now; };
  }
};

inline campaign::Ended go(campaign::Recorder& recorder, FakeRig& rig, const campaign::Policy& policy,
                          Observing& observing, const std::stop_token& stop = {}) {
  return campaign::Rounds(recorder, rig, policy, observing, stop, rig.clock()).run();
}

inline campaign::Ended go(campaign::Recorder& recorder, FakeRig& rig, const campaign::Policy& policy,
                          const std::stop_token& stop = {}) {
  Observing nobody;
  return go(recorder, rig, policy, nobody, stop);
}

}  // namespace assay::test
