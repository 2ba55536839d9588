#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "assay/engine/campaign_runner.hpp"
#include "assay/stats/random.hpp"
#include "support/fake_runner.hpp"

namespace assay::engine {
namespace {

using test::FakeRunner;
using test::go;
using test::Observing;

/// A campaign whose first cell's trials take 4 s, the second's a tenth of that, the third's 3.8 s.
struct Costly {
  Record record = test::record_of({{1.0}, {1.0}, {1.0}});
  FakeRunner runner;
  stats::Random random{5};

  Costly() {
    record.log = {.sessions = {Session{}}};
    record.log.state = CampaignState::open;
    record.design.rules = {.rounds_min = 7, .rounds_max = 60, .seed = 7};
    runner.repeats = true;
    runner.change = [this](Trial& trial) {
      const double cost[] = {4.0, 0.4, 3.8};
      const double seconds = cost[trial.cell.value] * std::exp(0.02 * random.normal());
      trial.readings = {{MetricId{0}, seconds}};
      runner.now += seconds - 1;
    };
  }
};

TEST(Repeats, RunWhatCostsLittleSeveralTimesAndDecideSooner) {
  Costly costly;
  Recorder recorder(costly.record, {});
  Observing observing;
  CampaignRunner life(recorder, costly.runner, observing, {}, costly.runner.clock());
  life.check();
  EXPECT_EQ(life.measure(*until_decided(60, 60.0), false), StopReason::decided)
      << "the budget is stretched to the first look at the third";
  const auto& log = recorder.log();
  EXPECT_EQ(std::ranges::count(log.rounds[1].order, CellId{1}), 10);
  EXPECT_EQ(std::ranges::count(log.rounds[1].order, CellId{2}), 1);
  std::set<std::pair<int, int>> slots;
  for (const auto& trial : log.trials)
    if (trial.cell == CellId{1} && trial.round == 2) slots.insert({trial.repeat, trial.position});
  EXPECT_EQ(slots.size(), 10U);
  EXPECT_EQ(slots.rbegin()->first, 9) << "numbered in the order of their runs";
  const auto settled = std::ranges::find_if(log.looks, [](const InterimLook& look) {
    return look.comparison == Comparison{{0}, {1}} && look.decision == "better";
  });
  ASSERT_NE(settled, log.looks.end());
  EXPECT_EQ(settled->rounds, 3) << "of one trial beside ten; two would do without the other finding";
  const auto none = std::ranges::find(log.looks, Comparison{{0}, {2}}, &InterimLook::comparison);
  ASSERT_NE(none, log.looks.end());
  EXPECT_EQ(none->rounds, 8) << "without repeats nothing is looked at before eight";
}

TEST(Repeats, StayTheSameAfterResume) {
  Costly costly;
  costly.runner.repeats = false;
  Recorder recorder(costly.record, {});
  EXPECT_EQ(go(recorder, costly.runner, *until_decided(2, {})), StopReason::rounds);
  costly.runner.repeats = true;
  EXPECT_EQ(go(recorder, costly.runner, *until_decided(4, {})), StopReason::rounds);
  EXPECT_EQ(recorder.log().rounds.back().order.size(), 3U);
}

/// The first run of all is slow for what has nothing to do with the program.
TEST(Repeats, RepeatNothingForASlowFirstRun) {
  Costly costly;
  costly.runner.change = [&](Trial& trial) {
    const bool very_first = trial.role == Role::check && trial.cell == CellId{0};
    trial.readings = {{MetricId{0}, very_first ? 5.0 : 0.5 + 0.01 * costly.random.normal()}};
  };
  Recorder recorder(costly.record, {});
  Observing observing;
  CampaignRunner life(recorder, costly.runner, observing, {}, costly.runner.clock());
  life.check();
  life.measure(*until_decided(7, {}), false);
  EXPECT_EQ(recorder.log().rounds[1].order.size(), 3U);
}

TEST(Repeats, PlanAllowsForPauses) {
  Costly costly;
  costly.runner.pause = 0.5;
  Recorder recorder(costly.record, {});
  Observing observing;
  CampaignRunner life(recorder, costly.runner, observing, {}, costly.runner.clock());
  costly.runner.change = [](Trial& trial) {
    const double cost[] = {4.0, 0.5, 3.8};
    trial.readings = {{MetricId{0}, cost[trial.cell.value]}};
  };
  life.check();
  const auto short_of_time = until_decided(60, 20.0, {});
  const auto outlook = life.forecast(Observations::Source::judged, *short_of_time);
  EXPECT_DOUBLE_EQ(outlook.round_seconds, 4.5 + 8 * 1.0 + 4.3) << "eight of the cheap one";
  EXPECT_EQ(outlook.first_look, 3);
  EXPECT_TRUE(outlook.impossible_reason());
  EXPECT_FALSE(outlook.continues) << "four rounds take more than twice the budget";
  EXPECT_TRUE(life.forecast(Observations::Source::judged, *until_decided(60, 40.0)).continues);
}

}  // namespace
}  // namespace assay::engine
