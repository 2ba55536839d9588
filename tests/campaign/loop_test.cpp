#include "assay/campaign/loop.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <map>
#include <set>

#include "support/records.hpp"

namespace assay::campaign {
namespace {

Recorder recorder_for(std::size_t candidates) {
  auto record = test::record_of(std::vector<std::vector<double>>(candidates, {1.0}));
  record.log.rounds.clear();
  record.log.trials.clear();
  return Recorder(record, {});
}

Trial ok_trial(const Heat& heat) {
  Trial trial{.cell = heat.cells.front(), .round = heat.round, .role = heat.role, .position = heat.position};
  trial.readings = {{MetricId{0}, 1.0}};
  return trial;
}

TEST(RoundLoop, RunsEveryOpenCellOnceInEachRoundInFreshOrder) {
  auto recorder = recorder_for(4);
  const auto ended = go_through_rounds(
      recorder, {.rounds = 20},
      [](const Heat& heat, const std::stop_token&) { return std::vector{ok_trial(heat)}; }, {}, {});
  EXPECT_EQ(ended, Ended::rounds);
  const auto& record = recorder.record();
  ASSERT_EQ(record.log.rounds.size(), 21U);
  ASSERT_EQ(record.log.trials.size(), 21U * 4);
  std::set<std::vector<CellId>> orders;
  for (const auto& round : record.log.rounds) {
    EXPECT_EQ(round.state, RoundState::whole);
    orders.insert(round.order);
  }
  EXPECT_GT(orders.size(), 5U);
  std::map<std::pair<int, CellId>, int> seen;
  for (const auto& trial : record.log.trials) {
    EXPECT_EQ((++seen[{*trial.round, trial.cell}]), 1);
    EXPECT_EQ(trial.role, *trial.round == 1 ? Role::first : Role::counted)
        << "the first round is the warm-up";
  }
}

TEST(RoundLoop, ACellThatKeepsFailingLeavesAndTheOthersGoOn) {
  auto recorder = recorder_for(3);
  const Runner run = [](const Heat& heat, const std::stop_token&) {
    auto trial = ok_trial(heat);
    if (trial.cell == CellId{2}) {
      trial.outcome = Outcome::failed;
      trial.detail = "broken";
    }
    return std::vector{trial};
  };
  EXPECT_EQ(go_through_rounds(recorder, {.rounds = 10}, run, {}, {}), Ended::rounds);
  EXPECT_EQ(recorder.record().design.cells[2].standing, Standing::failed);
  EXPECT_EQ(recorder.record().design.cells[2].detail, "broken");
  EXPECT_EQ(std::ranges::count(recorder.record().log.trials, CellId{2}, &Trial::cell), failures_in_a_row);
  EXPECT_EQ(std::ranges::count(recorder.record().log.trials, CellId{1}, &Trial::cell), 11);
}

TEST(RoundLoop, ACellFoundWrongLeavesAtOnceAndNothingIsLeftWithoutRivals) {
  auto recorder = recorder_for(2);
  const Runner run = [](const Heat& heat, const std::stop_token&) {
    auto trial = ok_trial(heat);
    if (trial.cell == CellId{1} && heat.round == 3) trial.outcome = Outcome::wrong;
    return std::vector{trial};
  };
  EXPECT_EQ(go_through_rounds(recorder, {.rounds = 10}, run, {}, {}), Ended::nothing_left);
  EXPECT_EQ(recorder.record().design.cells[1].standing, Standing::wrong);
  EXPECT_EQ(recorder.record().log.rounds.size(), 3U);
}

TEST(RoundLoop, AStopRequestTearsTheRoundAndKeepsItsTrials) {
  auto recorder = recorder_for(4);
  std::stop_source source;
  const Runner run = [&](const Heat& heat, const std::stop_token&) {
    auto trial = ok_trial(heat);
    if (heat.round == 4 && heat.position == 1) {
      source.request_stop();
      trial.outcome = Outcome::interrupted;
    }
    return std::vector{trial};
  };
  EXPECT_EQ(go_through_rounds(recorder, {.rounds = 10}, run, {}, source.get_token()), Ended::stopped);
  EXPECT_EQ(recorder.record().log.rounds.back().state, RoundState::torn);
  EXPECT_EQ(recorder.record().log.trials.size(), 3U * 4 + 2);
}

TEST(RoundLoop, ABudgetEndsTheRounds) {
  auto recorder = recorder_for(2);
  const Runner run = [](const Heat& heat, const std::stop_token&) { return std::vector{ok_trial(heat)}; };
  EXPECT_EQ(go_through_rounds(recorder, {.rounds = 100000, .budget = 0.05}, run, {}, {}), Ended::budget);
  EXPECT_GE(recorder.record().log.rounds.size(), 1U);
}

TEST(RoundLoop, TellsHowFarItIsBeforeEachTrial) {
  auto recorder = recorder_for(2);
  std::vector<Progress> told;
  const Runner run = [](const Heat& heat, const std::stop_token&) { return std::vector{ok_trial(heat)}; };
  go_through_rounds(recorder, {.rounds = 6}, run, [&](const Progress& p) { told.push_back(p); }, {});
  ASSERT_EQ(told.size(), 14U);
  EXPECT_FALSE(told.front().left);
  EXPECT_TRUE(told.back().left);
  EXPECT_EQ(told.back().done, 5);
  EXPECT_EQ(told.back().planned, 6);
}

}  // namespace
}  // namespace assay::campaign
