#include "assay/judge/done.hpp"

#include <gtest/gtest.h>

#include "assay/judge/findings.hpp"
#include "assay/judge/twins.hpp"
#include "assay/metrics/catalogue.hpp"
#include "support/noise.hpp"
#include "support/records.hpp"

namespace assay::inline v1::judge {
namespace {

using test::noisy;
using test::record_of;

const Contrast only{{0}, {1}};

/// A campaign on its way, of up to 60 rounds.
Record going(const std::vector<std::vector<double>>& values) {
  auto record = record_of(values);
  record.design.rules.rounds_min = 7;
  record.design.rules.rounds_max = 60;
  record.log.state = CampaignState::open;
  return record;
}

bool is_done(const Record& record, const Aim& aim = {}) {
  const auto evidence = test::evidence_of(record);
  return contrasts_done(evidence, watched_so_far(record.design, evidence), aim).contains(only);
}

/// Adds a metric that every judged trial has the same value of.
void add_metric(Record& record, metrics::Known known, bool watched, const std::vector<double>& by_cell) {
  auto metric = metrics::find_row(metrics::name_of(known))->metric;
  metric.demand.watched = watched;
  const auto id = record.design.metrics.add(metric);
  for (auto& trial : record.log.trials)
    trial.readings.push_back({id, by_cell[static_cast<std::size_t>(trial.cell.value)] *
                                      (1 + 1e-4 * (trial.round.value_or(0) % 5))});
}

TEST(Done, IsWhatIsSettled) {
  EXPECT_TRUE(is_done(going({noisy(1, 10, 1, 0.001), noisy(1.1, 10, 2, 0.001)})));
  EXPECT_FALSE(is_done(going({noisy(1, 10, 1, 0.05), noisy(1.02, 10, 2, 0.05)})));
}

TEST(Done, IsWallTimeOfOneCoreWhenItsCpuTimeIsSettled) {
  for (const double cores : {1.01, 1.2, 0.7}) {
    auto record = going({noisy(1, 14, 1, 0.3), noisy(1.05, 14, 2, 0.3)});
    add_metric(record, metrics::Known::cpu_time, true, {1, 1.05});
    ASSERT_FALSE(is_done(record)) << "how many cores it used is not known";
    add_metric(record, metrics::Known::cores_used, false, {cores, cores});
    EXPECT_EQ(is_done(record), cores == 1.01) << cores;
  }
}

TEST(Done, AreNotKeptForACpuTimeThatDecidesNothing) {
  // Wall time that sixty rounds can't settle, of a program that waits: its CPU time can't stand in for it.
  for (const double cores : {0.5, 1.0}) {
    auto record = going({noisy(1, 28, 1, 0.3), noisy(1, 28, 2, 0.3)});
    auto cpu = metrics::find_row("cpu time")->metric;
    cpu.demand.watched = cpu.supporting = true;
    const auto time = record.design.metrics.add(cpu);
    const auto a = noisy(1, 30, 3, 0.05), b = noisy(1.02, 30, 4, 0.05);
    for (auto& trial : record.log.trials)
      trial.readings.push_back(
          {time, (trial.cell == CellId{0} ? a : b)[static_cast<std::size_t>(trial.round.value_or(0))]});
    add_metric(record, metrics::Known::cores_used, false, {cores, cores});
    EXPECT_EQ(is_done(record), cores < 1) << cores;
  }
}

TEST(Done, AreNotThoseOfWhichTheGateIsUndecided) {
  // +1.5 % is worse beyond the margin of 1 % long before it is known to be within 2 %.
  const auto record = going({noisy(1, 14, 1, 0.003), noisy(1.015, 14, 2, 0.003)});
  const auto evidence = test::evidence_of(record);
  const auto f = watched_so_far(record.design, evidence).at(0);
  ASSERT_EQ(f.verdict, Verdict::worse);
  const double inside = f.interval.high - 1, across = f.effect.value - 1;
  EXPECT_TRUE(is_done(record, {.allow = inside * 1.01}));
  EXPECT_FALSE(is_done(record, {.allow = across}));
}

TEST(Done, AreNotThoseThatAreNotPreciseEnough) {
  const auto record = going({noisy(1, 14, 1, 0.01), noisy(1.2, 14, 2, 0.01)});
  EXPECT_TRUE(is_done(record, {.precise = 0.1}));
  EXPECT_FALSE(is_done(record, {.precise = 0.0001}));
}

TEST(Done, AreNotThoseOfWhichARequirementIsUndecided) {
  auto record = going({noisy(1, 20, 1, 0.001), noisy(1.2, 20, 2, 0.001)});
  auto& demand = record.design.metrics[MetricId{0}].demand;
  demand.require = parse_requirement("< 5 s");
  EXPECT_TRUE(is_done(record));
  demand.require = parse_requirement("< 1 s");
  EXPECT_FALSE(is_done(record)) << "the baseline's own values lie on both sides";
}

TEST(Done, IsWhatWillHardlyEverBeSettled) {
  // A spread of thirty margins: sixty rounds can't tell no change from one.
  const auto noise = going({noisy(1, 28, 1, 0.3), noisy(1, 28, 2, 0.3)});
  EXPECT_TRUE(is_done(noise));
  EXPECT_FALSE(is_done(noise, {.precise = 0.01})) << "nothing is given up then";
  EXPECT_FALSE(is_done(going({noisy(1, 28, 1, 0.05), noisy(1.02, 28, 2, 0.05)})));
}

TEST(Twins, ThatAreCalledRunUntilTheyHaveTenFreshRounds) {
  const auto open = [](int rounds) {
    auto record = going({noisy(1, static_cast<std::size_t>(rounds), 1, 0.001),
                         noisy(1.1, static_cast<std::size_t>(rounds), 2, 0.001)});
    record.design.candidates[CandidateId{1}].twin_of = CandidateId{0};
    const auto evidence = test::evidence_of(record);
    return twins_to_confirm(evidence, watched_so_far(record.design, evidence)).contains(only);
  };
  EXPECT_TRUE(open(7));
  EXPECT_TRUE(open(16));
  EXPECT_FALSE(open(17));
}

}  // namespace
}  // namespace assay::inline v1::judge
