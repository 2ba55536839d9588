#pragma once

#include <functional>
#include <stop_token>
#include <vector>

#include "assay/engine/round_loop.hpp"
#include "support/observing.hpp"
#include "support/records.hpp"

namespace assay::test {
using namespace model;

inline engine::Recorder recorder_for(std::size_t candidates) {
  auto record = record_of(std::vector<std::vector<double>>(candidates, {1.0}));
  record.log.rounds.clear();
  record.log.trials.clear();
  record.log.state = CampaignState::open;
  return engine::Recorder(record, {});
}

/// A runner whose trials come from a function, and a clock that only they move: a second each.
struct FakeRunner : engine::TrialRunner {
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
  std::vector<Trial> run(const Batch& batch, const std::stop_token&) override {
    Trial trial{
        .cell = batch.cells.front(), .round = batch.round, .role = batch.role, .position = batch.position};
    trial.readings = {{MetricId{0}, 1.0}};
    now += 1;
    change(trial);
    return {trial};
  }
  bool runs_in_batch(CellId /*cell*/) const override { return false; }
  bool allows_repeats(CellId) const override { return repeats; }
  double seconds_before_trial(CellId) const override { return pause; }
  bool needs_final_check(CellId) const override { return true; }
  std::vector<CheckWarning> check_warnings() const override {
    return {{WorkloadId{0}, "nothing checks what it answers"}};
  }
  void close() override { ++closed; }

  engine::Clock clock() {
    return [this] { return now; };
  }
};

inline engine::StopReason go(engine::Recorder& recorder, FakeRunner& runner, const engine::StopPolicy& policy,
                             Observing& observing, const std::stop_token& stop = {}) {
  return engine::RoundLoop(recorder, runner, policy, observing, stop, runner.clock()).run();
}

inline engine::StopReason go(engine::Recorder& recorder, FakeRunner& runner, const engine::StopPolicy& policy,
                             const std::stop_token& stop = {}) {
  Observing nobody;
  return go(recorder, runner, policy, nobody, stop);
}

}  // namespace assay::test
