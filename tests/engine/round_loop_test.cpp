#include "assay/engine/round_loop.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "assay/stats/random.hpp"
#include "support/fake_runner.hpp"

namespace assay::engine {
namespace {

using test::FakeRunner;
using test::go;
using test::Observing;
using test::recorder_for;

/// How often each of three cells ran in twenty rounds of a second or two, the third being a twin of the
/// first.
std::map<CellId, int> trials_with_twin(std::optional<double> budget) {
  auto record = test::record_of({{1.0}, {1.0}, {1.0}});
  record.log.rounds.clear();
  record.log.trials.clear();
  record.log.state = CampaignState::open;
  record.design.candidates[CandidateId{2}].twin_of = CandidateId{0};
  record.design.rules.rounds_min = 7;
  record.design.rules.rounds_max = 20;
  Recorder recorder(record, {});
  FakeRunner runner;
  stats::Random random(3);
  runner.change = [&](Trial& trial) { trial.readings[0].value = std::exp(0.3 * random.normal()); };
  go(recorder, runner, *until_decided(20, budget, {.precise = 0.0001}));
  std::map<CellId, int> times;
  for (const auto& trial : recorder.log().trials) ++times[trial.cell];
  return times;
}

TEST(RoundLoop, RunsTwinsInEveryFourthRound) {
  auto times = trials_with_twin({});
  EXPECT_EQ(times[CellId{1}], 21);
  EXPECT_EQ(times[CellId{2}], 5) << "in rounds 2, 6, 10, 14 and 18";
}

TEST(RoundLoop, ExpectsAsManyRoundsAsThereIsTimeForWhateverEarlierOnesWereFor) {
  const auto record = test::record_of({{1.0}, {1.0}});
  const IdTable<CellId, CellStatus> statuses;
  const std::set<Comparison> none;
  const auto policy = until_decided(60, 60);
  const auto expected = [&](int judged, int begun_here, double spent) {
    return policy->rounds_expected({.design = record.design,
                                    .statuses = statuses,
                                    .decided = none,
                                    .confirming = none,
                                    .judged = judged,
                                    .begun_here = begun_here,
                                    .spent = spent});
  };
  EXPECT_EQ(expected(0, 7, 14), 23) << "a warm-up and six pilots of two seconds, 46 seconds left";
  EXPECT_EQ(expected(10, 17, 34), 23);
  EXPECT_EQ(expected(10, 1, 20), 30) << "in an earlier session";
  EXPECT_EQ(expected(0, 1, 0), 60) << "as many as planned";
}

TEST(RoundLoop, LeavesTwinsOutWhereTimeIsShort) {
  auto times = trials_with_twin(27);  // thirteen rounds of two seconds: less than twice the first look
  EXPECT_EQ(times[CellId{2}], 0);
  EXPECT_GT(times[CellId{1}], 10);
}

TEST(RoundLoop, ABudgetIsStretchedToTheFirstLookUpToTwice) {
  for (const double budget : {6.0, 9.0}) {
    auto record = test::record_of({{1.0}, {1.0}});
    record.log = {.sessions = {Session{}}};
    record.design.rules = {.rounds_min = 7, .rounds_max = 20, .seed = 7};
    Recorder recorder(record, {});
    FakeRunner runner;
    const auto ended = go(recorder, runner, *until_decided(20, budget, {}));
    EXPECT_EQ(ended, StopReason::budget);
    EXPECT_EQ(recorder.log().rounds.size(), budget == 9 ? 9U : 3U)
        << "of two seconds, the warm-up with them: eighteen are within twice nine";
  }
}

TEST(RoundLoop, RunEveryOpenCellOnceInFreshOrder) {
  auto recorder = recorder_for(4);
  FakeRunner runner;
  EXPECT_EQ(go(recorder, runner, *until_decided(20, {})), StopReason::rounds);
  const auto& log = recorder.log();
  ASSERT_EQ(log.rounds.size(), 21U);
  ASSERT_EQ(log.trials.size(), 21U * 4);
  std::set<std::vector<CellId>> orders;
  for (const auto& round : log.rounds) {
    EXPECT_EQ(round.state, RoundState::complete);
    EXPECT_EQ(round.role, round.number == 1 ? Role::warm_up : Role::measured);
    orders.insert(round.order);
  }
  EXPECT_GT(orders.size(), 5U);
  std::map<std::pair<int, CellId>, int> seen;
  for (const auto& trial : log.trials) {
    EXPECT_EQ((++seen[{*trial.round, trial.cell}]), 1);
    EXPECT_EQ(trial.role, *trial.round == 1 ? Role::warm_up : Role::measured)
        << "the first round is the warm-up";
  }
}

TEST(RoundLoop, ACellThatKeepsFailingLeavesAndTheOthersGoOn) {
  auto recorder = recorder_for(3);
  FakeRunner runner;
  runner.change = [](Trial& trial) {
    if (trial.cell != CellId{2}) return;
    trial.outcome = Outcome::failed;
    trial.detail = "broken";
  };
  EXPECT_EQ(go(recorder, runner, *until_decided(10, {})), StopReason::rounds);
  EXPECT_EQ(recorder.statuses()[CellId{2}], (CellStatus{StatusCode::failed, "broken"}));
  EXPECT_EQ(std::ranges::count(recorder.log().trials, CellId{2}, &Trial::cell), failures_in_a_row);
  EXPECT_EQ(std::ranges::count(recorder.log().trials, CellId{1}, &Trial::cell), 11);
}

TEST(RoundLoop, ACellFoundWrongLeavesAtOnceAndNothingIsLeftWithoutRivals) {
  auto recorder = recorder_for(2);
  FakeRunner runner;
  runner.change = [](Trial& trial) {
    if (trial.cell == CellId{1} && trial.round == 3) trial.outcome = Outcome::wrong;
  };
  EXPECT_EQ(go(recorder, runner, *until_decided(10, {})), StopReason::nothing_left);
  EXPECT_EQ(recorder.statuses()[CellId{1}].code, StatusCode::wrong);
  EXPECT_EQ(recorder.log().rounds.size(), 3U);
}

TEST(RoundLoop, AStopRequestTearsTheRoundAndKeepsItsTrials) {
  auto recorder = recorder_for(4);
  std::stop_source source;
  FakeRunner runner;
  runner.change = [&](Trial& trial) {
    if (trial.round != 4 || trial.position != 1) return;
    source.request_stop();
    trial.outcome = Outcome::interrupted;
  };
  EXPECT_EQ(go(recorder, runner, *until_decided(10, {}), source.get_token()), StopReason::stopped);
  EXPECT_EQ(recorder.log().rounds.back().state, RoundState::aborted);
  EXPECT_EQ(recorder.log().trials.size(), 3U * 4 + 2);
}

TEST(RoundLoop, NoneIsBegunThatWouldLikelyGoBeyondTheBudget) {
  auto recorder = recorder_for(2);  // two seconds a round
  FakeRunner runner;
  EXPECT_EQ(go(recorder, runner, *until_decided(100, 9.0)), StopReason::budget);
  EXPECT_EQ(recorder.log().rounds.size(), 4U);
  auto hasty = recorder_for(2);
  EXPECT_EQ(go(hasty, runner, *until_decided(100, 0.5)), StopReason::budget);
  EXPECT_EQ(hasty.log().rounds.size(), 1U) << "one is run in any case";
}

TEST(RoundLoop, TellHowFarTheyAreBeforeEachTrial) {
  auto recorder = recorder_for(2);
  FakeRunner runner;
  Observing observing;
  std::vector<Progress> told;
  observing.when_progress = [&](const Progress& p) { told.push_back(p); };
  go(recorder, runner, *until_decided(6, {}), observing);
  ASSERT_EQ(told.size(), 14U);
  EXPECT_FALSE(told.front().seconds_left);
  EXPECT_EQ(told[2].seconds_left, 12.0) << "six rounds of two seconds";
  EXPECT_EQ(told.back().seconds_left, 1.0);
  EXPECT_EQ(told.back().seconds_spent, 13.0);
  EXPECT_EQ(told.back().done, 5);
  EXPECT_EQ(told.back().planned, 6);
}

TEST(RoundLoop, FixedRoundsDecideNothing) {
  auto record = test::record_of({{1.0}, {1.0}});
  record.log = {.sessions = {Session{}}};
  record.design.rules.rounds_min = 7;
  record.design.rules.rounds_max = 30;
  Recorder recorder(record, {});
  FakeRunner runner;
  EXPECT_EQ(go(recorder, runner, *fixed_rounds(20)), StopReason::rounds);
  EXPECT_EQ(recorder.log().trials.back().role, Role::measured);
  EXPECT_TRUE(recorder.log().looks.empty());
}

TEST(RoundLoop, CountsRoundsThatWereDoneBefore) {
  auto recorder = recorder_for(2);
  FakeRunner runner;
  EXPECT_EQ(go(recorder, runner, *until_decided(4, {})), StopReason::rounds);
  EXPECT_EQ(go(recorder, runner, *until_decided(7, {})), StopReason::rounds);
  EXPECT_EQ(recorder.log().rounds.size(), 5U + 1 + 3) << "a warm-up of their own, and three more";
  EXPECT_EQ(recorder.log().rounds[5].role, Role::warm_up);
}

}  // namespace
}  // namespace assay::engine
