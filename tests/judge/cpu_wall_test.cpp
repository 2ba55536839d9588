#include "assay/judge/cpu_wall.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <nlohmann/json.hpp>
#include <stdexcept>
#include <utility>

#include "assay/judge/gate.hpp"
#include "assay/judge/judge.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/render/documents.hpp"
#include "support/noise.hpp"
#include "support/records.hpp"

namespace assay::report {
namespace {

using testing::HasSubstr;
using testing::Not;

/// Twenty rounds of wall time that others disturb, the CPU time of the same trials, the share of a core,
/// and, of a program that uses all of one, the wait for it.
Record disturbed(double wall_noise, double cores) {
  auto record = test::record_of({test::noisy(1, 20, 1, wall_noise), test::noisy(0.75, 20, 2, wall_noise)});
  auto cpu = metrics::find_metric_info("cpu time")->metric;
  cpu.request.watched = cpu.supporting = true;
  const auto time = record.design.metrics.add(cpu);
  const auto used = record.design.metrics.add(metrics::find_metric_info("cores used")->metric);
  const auto wait = record.design.metrics.add(metrics::find_metric_info("core wait")->metric);
  for (auto& trial : record.log.trials) {
    const int round = trial.round.value_or(0);
    const double steady = trial.cell == CellId{0} ? 0.9 : 0.675;
    trial.readings.push_back({time, steady * (1 + 0.001 * (round * 7 % 5))});
    trial.readings.push_back({used, round % 2 == 0 ? cores : 0.6 * cores});
    const double waited = trial.readings.front().value - trial.readings[1].value;
    trial.readings.push_back({wait, cores >= 1 ? std::max(0.0, waited) : 0.0});
  }
  record.design.rules.rounds_min = 8;
  record.design.rules.rounds_max = 60;
  return record;
}

/// Forty rounds of two programs whose CPU time is alike; the candidate waits for something else, a share of
/// its time longer, in every so many of its runs.
Record waiting(int every, double longer) {
  auto record = test::record_of({test::noisy(1, 40, 1, 0.002), test::noisy(1, 40, 2, 0.002)});
  auto cpu = metrics::find_metric_info("cpu time")->metric;
  cpu.request.watched = cpu.supporting = true;
  const auto time = record.design.metrics.add(cpu);
  const auto used = record.design.metrics.add(metrics::find_metric_info("cores used")->metric);
  const auto wait = record.design.metrics.add(metrics::find_metric_info("core wait")->metric);
  for (auto& trial : record.log.trials) {
    const double seconds = trial.readings.front().value;
    const bool waits = trial.cell == CellId{1} && trial.round.value_or(0) % every == 0;
    const double wall = waits ? seconds * (1 + longer) : seconds;
    trial.readings.front().value = wall;
    trial.readings.push_back({time, seconds * 0.995});
    trial.readings.push_back({used, seconds * 0.995 / wall});
    trial.readings.push_back({wait, 0.002});
  }
  record.design.rules.rounds_min = 8;
  record.design.rules.rounds_max = 60;
  return record;
}

const Finding& on(const Findings& all, const char* metric) {
  for (const auto& f : all.findings)
    if (all.metric_of(f).name == metric) return f;
  throw std::runtime_error(metric);
}

TEST(CpuWall, CpuTimeDoesNotDecideForAProgramThatWaitsLongerInSomeRuns) {
  EXPECT_TRUE(judge::wait_alike(test::evidence_of(waiting(1000, 0)), {{0}, {1}}));
  for (const auto& [every, longer] : {std::pair{2, 0.2}, {3, 0.2}, {4, 1.0}, {5, 1.0}}) {
    const auto record = waiting(every, longer);
    const auto all = judge::judge_record(record);
    EXPECT_EQ(on(all, "cpu time").verdict, Verdict::same);
    EXPECT_FALSE(on(all, "wall time").superseded_by) << "one in " << every << " by " << longer;
    EXPECT_NE(on(all, "wall time").verdict, Verdict::same) << every;
  }
}

TEST(CpuWall, CpuTimeDecidesForWallTimeOfProgramsOnOneCore) {
  const auto all = judge::judge_record(disturbed(1, 1));
  const auto& wall = on(all, "wall time");
  ASSERT_EQ(wall.verdict, Verdict::unclear);
  EXPECT_EQ(wall.superseded_by, on(all, "cpu time").metric);
  EXPECT_FALSE(wall.rounds_to_decide) << "nothing more has to be measured";
  const auto text = render::to_text(all);
  EXPECT_THAT(text, HasSubstr("rival1  faster than list: cpu time −25 % (−25"));
  EXPECT_THAT(text, HasSubstr("; wall time "));
  EXPECT_THAT(text, HasSubstr("see cpu time"));
  EXPECT_THAT(text, HasSubstr("orders: cpu time, lower is better"));
  const auto json = nlohmann::json::parse(render::to_json(all));
  EXPECT_EQ(json["findings"][0]["decided_by"], "cpu time");
  const auto gate = judge::evaluate_gate(all, Gate{.undecided_passes = false}, CellFilter{});
  EXPECT_EQ(gate.status, GateStatus::passed) << "it is held once, by the time that decides";
  EXPECT_EQ(gate.reasons.size(), 1U);
}

TEST(CpuWall, WallTimeStandsForItselfOfProgramsThatWait) {
  const auto all = judge::judge_record(disturbed(1, 0.9));
  EXPECT_FALSE(on(all, "wall time").superseded_by);
  EXPECT_THAT(render::to_text(all), HasSubstr("no verdict against list yet: wall time"));
}

TEST(CpuWall, ACpuTimeThatNobodyAskedForIsShownBesideWallTime) {
  const auto all = judge::judge_record(disturbed(0.002, 1));
  const auto text = render::to_text(all);
  EXPECT_THAT(text, HasSubstr("faster than list: wall time −2"));
  EXPECT_THAT(text, HasSubstr("; cpu time −25"));
  EXPECT_THAT(text, Not(HasSubstr("orders: cpu time"))) << "and has no block of its own";
  EXPECT_EQ(judge::evaluate_gate(all, Gate{}, CellFilter{}).reasons.size(), 1U);
}

TEST(Sentences, GiveTheNearEndOfAnEffectThatIsIllKnown) {
  auto all = judge::judge_record(disturbed(0.002, 1));
  auto& f = all.findings.front();
  f.verdict = Verdict::better;
  f.effect.value = 0.75;
  f.interval = {0.6, 0.95, 0.99};
  EXPECT_THAT(render::to_text(all), HasSubstr("wall time at least −5.0 % (−40 … −5.0 %)"));
  f.interval = {0.7, 0.8, 0.95};
  EXPECT_THAT(render::to_text(all), HasSubstr("wall time −25 % (−30 … −20 %)"));
  f.verdict = Verdict::differs;
  EXPECT_THAT(render::to_text(all), HasSubstr("differs from list: wall time −25 %"));
}

}  // namespace
}  // namespace assay::report
