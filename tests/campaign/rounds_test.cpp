#include "assay/campaign/rounds.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "assay/campaign/life.hpp"
#include "assay/stats/random.hpp"
#include "support/observing.hpp"
#include "support/records.hpp"

namespace assay::inline v1::campaign {
namespace {

using test::Observing;

Recorder recorder_for(std::size_t candidates) {
  auto record = test::record_of(std::vector<std::vector<double>>(candidates, {1.0}));
  record.log.rounds.clear();
  record.log.trials.clear();
  record.log.state = CampaignState::open;
  return Recorder(record, {});
}

/// A rig whose trials come from a function, and a clock that only they move: a second each.
struct FakeRig : Rig {
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
  bool runs_together() const override { return false; }
  bool may_repeat(CellId) const override { return repeats; }
  double pause_before(CellId) const override { return pause; }
  bool is_worth_checking_again(CellId) const override { return true; }
  std::vector<Doubt> doubts() const override { return {{WorkloadId{0}, "nothing checks what it answers"}}; }
  void close() override { ++closed; }

  Clock clock() {
    return [this] { return now; };
  }
};

Ended go(Recorder& recorder, FakeRig& rig, const Policy& policy, Observing& observing,
         const std::stop_token& stop = {}) {
  return Rounds(recorder, rig, policy, observing, stop, rig.clock()).run();
}

Ended go(Recorder& recorder, FakeRig& rig, const Policy& policy, const std::stop_token& stop = {}) {
  Observing nobody;
  return go(recorder, rig, policy, nobody, stop);
}

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
  FakeRig rig;
  stats::Random random(3);
  rig.change = [&](Trial& trial) { trial.readings[0].value = std::exp(0.3 * random.normal()); };
  go(recorder, rig, *until_settled(20, budget, false, {.precise = 0.0001}));
  std::map<CellId, int> times;
  for (const auto& trial : recorder.log().trials) ++times[trial.cell];
  return times;
}

TEST(Rounds, HaveTwinsInEveryFourth) {
  auto times = trials_with_twin({});
  EXPECT_EQ(times[CellId{1}], 21);
  EXPECT_EQ(times[CellId{2}], 5) << "in rounds 2, 6, 10, 14 and 18";
}

TEST(Rounds, HaveNoTwinsWhereTimeIsShort) {
  auto times = trials_with_twin(27);  // thirteen rounds of two seconds: less than twice the first look
  EXPECT_EQ(times[CellId{2}], 0);
  EXPECT_GT(times[CellId{1}], 10);
}

TEST(Rounds, TheBudgetDoesNotEndThemBeforeTheFirstLookIfToldSo) {
  for (const bool to_first_look : {false, true}) {
    auto record = test::record_of({{1.0}, {1.0}});
    record.log = {.sittings = {Sitting{}}};
    record.design.rules = {.rounds_min = 7, .rounds_max = 20, .seed = 7};
    Recorder recorder(record, {});
    FakeRig rig;
    const auto ended = go(recorder, rig, *until_settled(20, 6, false, {}, to_first_look));
    EXPECT_EQ(ended, to_first_look ? Ended::settled : Ended::budget);
    EXPECT_EQ(recorder.log().rounds.size(), to_first_look ? 8U : 3U)
        << "of two seconds, the warm-up with them";
  }
}

/// A campaign whose first cell's trials take 4 s, the second's a tenth of that, the third's 3.8 s.
struct Costly {
  Record record = test::record_of({{1.0}, {1.0}, {1.0}});
  FakeRig rig;
  stats::Random random{5};

  Costly() {
    record.log = {.sittings = {Sitting{}}};
    record.log.state = CampaignState::open;
    record.design.rules = {.rounds_min = 7, .rounds_max = 60, .seed = 7};
    rig.repeats = true;
    rig.change = [this](Trial& trial) {
      const double cost[] = {4.0, 0.4, 3.8};
      const double seconds = cost[trial.cell.value] * std::exp(0.02 * random.normal());
      trial.readings = {{MetricId{0}, seconds}};
      rig.now += seconds - 1;
    };
  }
};

TEST(Rounds, RunWhatCostsLittleSeveralTimesAndDecideSooner) {
  Costly costly;
  Recorder recorder(costly.record, {});
  Observing observing;
  Life life(recorder, costly.rig, observing, {}, costly.rig.clock());
  life.check();
  EXPECT_EQ(life.measure(*until_settled(60, 60.0, false), false), Ended::budget);
  const auto& log = recorder.log();
  EXPECT_EQ(std::ranges::count(log.rounds[1].order, CellId{1}), 9) << "at most";
  EXPECT_EQ(std::ranges::count(log.rounds[1].order, CellId{2}), 1);
  std::set<std::pair<int, int>> slots;
  for (const auto& trial : log.trials)
    if (trial.cell == CellId{1} && trial.round == 2) slots.insert({trial.repeat, trial.position});
  EXPECT_EQ(slots.size(), 9U);
  EXPECT_EQ(slots.rbegin()->first, 8) << "numbered in the order of their runs";
  const auto settled = std::ranges::find_if(log.looks, [](const Look& look) {
    return look.of == Contrast{{0}, {1}} && look.decision == "better";
  });
  ASSERT_NE(settled, log.looks.end());
  EXPECT_EQ(settled->rounds, 3) << "of one trial beside nine; two would do without the other finding";
  const auto none = std::ranges::find(log.looks, Contrast{{0}, {2}}, &Look::of);
  EXPECT_EQ(none, log.looks.end()) << "without repeats nothing is looked at before seven";
}

TEST(Rounds, OfACampaignThatIsGoneOnWithHaveTheRepeatsTheyHad) {
  Costly costly;
  costly.rig.repeats = false;
  Recorder recorder(costly.record, {});
  EXPECT_EQ(go(recorder, costly.rig, *until_settled(2, {}, false)), Ended::rounds);
  costly.rig.repeats = true;
  EXPECT_EQ(go(recorder, costly.rig, *until_settled(4, {}, false)), Ended::rounds);
  EXPECT_EQ(recorder.log().rounds.back().order.size(), 3U);
}

/// The first run of all is slow for what has nothing to do with the program.
TEST(Rounds, RepeatNothingForASlowFirstRun) {
  Costly costly;
  costly.rig.change = [&](Trial& trial) {
    const bool very_first = trial.role == Role::check && trial.cell == CellId{0};
    trial.readings = {{MetricId{0}, very_first ? 5.0 : 0.5 + 0.01 * costly.random.normal()}};
  };
  Recorder recorder(costly.record, {});
  Observing observing;
  Life life(recorder, costly.rig, observing, {}, costly.rig.clock());
  life.check();
  life.measure(*until_settled(7, {}, false), false);
  EXPECT_EQ(recorder.log().rounds[1].order.size(), 3U);
}

TEST(Rounds, RunEveryOpenCellOnceInFreshOrder) {
  auto recorder = recorder_for(4);
  FakeRig rig;
  EXPECT_EQ(go(recorder, rig, *until_settled(20, {}, false)), Ended::rounds);
  const auto& log = recorder.log();
  ASSERT_EQ(log.rounds.size(), 21U);
  ASSERT_EQ(log.trials.size(), 21U * 4);
  std::set<std::vector<CellId>> orders;
  for (const auto& round : log.rounds) {
    EXPECT_EQ(round.state, RoundState::whole);
    EXPECT_EQ(round.role, round.number == 1 ? Role::first : Role::counted);
    orders.insert(round.order);
  }
  EXPECT_GT(orders.size(), 5U);
  std::map<std::pair<int, CellId>, int> seen;
  for (const auto& trial : log.trials) {
    EXPECT_EQ((++seen[{*trial.round, trial.cell}]), 1);
    EXPECT_EQ(trial.role, *trial.round == 1 ? Role::first : Role::counted)
        << "the first round is the warm-up";
  }
}

TEST(Rounds, ACellThatKeepsFailingLeavesAndTheOthersGoOn) {
  auto recorder = recorder_for(3);
  FakeRig rig;
  rig.change = [](Trial& trial) {
    if (trial.cell != CellId{2}) return;
    trial.outcome = Outcome::failed;
    trial.detail = "broken";
  };
  EXPECT_EQ(go(recorder, rig, *until_settled(10, {}, false)), Ended::rounds);
  EXPECT_EQ(recorder.states()[CellId{2}], (CellState{Standing::failed, "broken"}));
  EXPECT_EQ(std::ranges::count(recorder.log().trials, CellId{2}, &Trial::cell), failures_in_a_row);
  EXPECT_EQ(std::ranges::count(recorder.log().trials, CellId{1}, &Trial::cell), 11);
}

TEST(Rounds, ACellFoundWrongLeavesAtOnceAndNothingIsLeftWithoutRivals) {
  auto recorder = recorder_for(2);
  FakeRig rig;
  rig.change = [](Trial& trial) {
    if (trial.cell == CellId{1} && trial.round == 3) trial.outcome = Outcome::wrong;
  };
  EXPECT_EQ(go(recorder, rig, *until_settled(10, {}, false)), Ended::nothing_left);
  EXPECT_EQ(recorder.states()[CellId{1}].standing, Standing::wrong);
  EXPECT_EQ(recorder.log().rounds.size(), 3U);
}

TEST(Rounds, AStopRequestTearsTheRoundAndKeepsItsTrials) {
  auto recorder = recorder_for(4);
  std::stop_source source;
  FakeRig rig;
  rig.change = [&](Trial& trial) {
    if (trial.round != 4 || trial.position != 1) return;
    source.request_stop();
    trial.outcome = Outcome::interrupted;
  };
  EXPECT_EQ(go(recorder, rig, *until_settled(10, {}, false), source.get_token()), Ended::stopped);
  EXPECT_EQ(recorder.log().rounds.back().state, RoundState::torn);
  EXPECT_EQ(recorder.log().trials.size(), 3U * 4 + 2);
}

TEST(Rounds, NoneIsBegunThatWouldLikelyGoBeyondTheBudget) {
  auto recorder = recorder_for(2);  // two seconds a round
  FakeRig rig;
  EXPECT_EQ(go(recorder, rig, *until_settled(100, 9.0, false)), Ended::budget);
  EXPECT_EQ(recorder.log().rounds.size(), 4U);
  auto hasty = recorder_for(2);
  EXPECT_EQ(go(hasty, rig, *until_settled(100, 0.5, false)), Ended::budget);
  EXPECT_EQ(hasty.log().rounds.size(), 1U) << "one is run in any case";
}

TEST(Rounds, TellHowFarTheyAreBeforeEachTrial) {
  auto recorder = recorder_for(2);
  FakeRig rig;
  Observing observing;
  std::vector<Progress> told;
  observing.on_progress = [&](const Progress& p) { told.push_back(p); };
  go(recorder, rig, *until_settled(6, {}, false), observing);
  ASSERT_EQ(told.size(), 14U);
  EXPECT_FALSE(told.front().left);
  EXPECT_EQ(told[2].left, 12.0) << "six rounds of two seconds";
  EXPECT_EQ(told.back().left, 1.0);
  EXPECT_EQ(told.back().spent, 13.0);
  EXPECT_EQ(told.back().done, 5);
  EXPECT_EQ(told.back().planned, 6);
}

TEST(Rounds, OfAPilotOrAFixedNumberSettleNothing) {
  for (const bool pilot : {true, false}) {
    auto record = test::record_of({{1.0}, {1.0}});
    record.log = {.sittings = {Sitting{}}};
    record.design.rules.rounds_min = 7;
    record.design.rules.rounds_max = 30;
    Recorder recorder(record, {});
    FakeRig rig;
    const auto policy = pilot ? pilot_rounds(20) : fixed_rounds(20);
    EXPECT_EQ(go(recorder, rig, *policy), Ended::rounds);
    EXPECT_EQ(recorder.log().trials.back().role, pilot ? Role::pilot : Role::counted);
    EXPECT_TRUE(recorder.log().looks.empty());
  }
}

TEST(Rounds, ThatAreDoneAreTakenUpAndCount) {
  auto recorder = recorder_for(2);
  FakeRig rig;
  EXPECT_EQ(go(recorder, rig, *until_settled(4, {}, false)), Ended::rounds);
  EXPECT_EQ(go(recorder, rig, *until_settled(7, {}, false)), Ended::rounds);
  EXPECT_EQ(recorder.log().rounds.size(), 5U + 1 + 3) << "a warm-up of their own, and three more";
  EXPECT_EQ(recorder.log().rounds[5].role, Role::first);
}

TEST(Life, ChecksForecastsMeasuresChecksAgainAndCloses) {
  auto recorder = recorder_for(3);
  FakeRig rig;
  Observing observing;
  Life life(recorder, rig, observing, {}, rig.clock());
  const auto findings = life.live(*until_settled(6, {}, false), true);
  EXPECT_EQ(findings.state, CampaignState::ended);
  EXPECT_EQ(rig.checks, 6);
  EXPECT_EQ(rig.closed, 1);
  EXPECT_EQ(observing.forecasts, 2) << "after the checks, and after three rounds";
  EXPECT_THAT(observing.heard, testing::ElementsAre("workload orders: nothing checks what it answers"));
}

TEST(Life, ForeseesPausesAndRepeats) {
  Costly costly;
  costly.rig.pause = 0.5;
  Recorder recorder(costly.record, {});
  Observing observing;
  Life life(recorder, costly.rig, observing, {}, costly.rig.clock());
  costly.rig.change = [](Trial& trial) {
    const double cost[] = {4.0, 0.5, 3.8};
    trial.readings = {{MetricId{0}, cost[trial.cell.value]}};
  };
  life.check();
  const auto short_of_time = until_settled(60, 20.0, false, {}, true);
  const auto outlook = life.look_ahead(Evidence::From::judged, *short_of_time);
  EXPECT_DOUBLE_EQ(outlook.round_seconds, 4.5 + 8 * 1.0 + 4.3) << "eight of the cheap one";
  EXPECT_EQ(outlook.first_look, 3);
  EXPECT_TRUE(outlook.cannot_decide());
  EXPECT_TRUE(outlook.goes_on);
}

TEST(Life, IsInterruptedByAStopRequestWhereverItIs) {
  for (const int checks : {1, 4}) {
    auto recorder = recorder_for(3);
    std::stop_source source;
    FakeRig rig;
    rig.change = [&](Trial&) {
      if (rig.checks == checks) source.request_stop();
    };
    Observing observing;
    Life life(recorder, rig, observing, source.get_token(), rig.clock());
    EXPECT_EQ(life.live(*until_settled(6, {}, false), false).state, CampaignState::interrupted);
    EXPECT_EQ(rig.closed, 1);
  }
}

TEST(Life, GivesCellsTheStandingOfTheirChecks) {
  auto recorder = recorder_for(4);
  FakeRig rig;
  rig.change = [](Trial& trial) {
    if (trial.role != Role::check) return;
    if (trial.cell == CellId{1}) trial.outcome = Outcome::wrong;
    if (trial.cell == CellId{2}) trial.outcome = Outcome::absent;
    trial.detail = "so it is";
  };
  Observing observing;
  Life(recorder, rig, observing, {}, rig.clock()).check("at the end, ");
  EXPECT_EQ(recorder.states()[CellId{1}], (CellState{Standing::wrong, "at the end, so it is"}));
  EXPECT_EQ(recorder.states()[CellId{2}].standing, Standing::absent);
  EXPECT_TRUE(recorder.states()[CellId{3}].is_sound());
}

}  // namespace
}  // namespace assay::inline v1::campaign
