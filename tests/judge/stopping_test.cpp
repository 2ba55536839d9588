#include "assay/judge/stopping.hpp"

#include <gtest/gtest.h>

#include "assay/judge/aa_checks.hpp"
#include "assay/judge/judge.hpp"
#include "assay/metrics/catalogue.hpp"
#include "support/noise.hpp"
#include "support/records.hpp"

namespace assay::judge {
namespace {

using test::noisy;
using test::record_of;

const Comparison only{{0}, {1}};

/// A campaign on its way, of up to 60 rounds.
Record going(const std::vector<std::vector<double>>& values) {
  auto record = record_of(values);
  record.design.rules.rounds_min = 8;
  record.design.rules.rounds_max = 60;
  record.log.state = CampaignState::open;
  return record;
}

bool is_done(const Record& record, const StopCriteria& aim = {}) {
  const auto evidence = test::evidence_of(record);
  return finished_comparisons(evidence, interim_findings(record.design, evidence), aim).contains(only);
}

/// Adds a metric that every judged trial has the same value of.
void add_metric(Record& record, metrics::MetricKind known, bool watched, const std::vector<double>& by_cell) {
  auto metric = metrics::find_metric_info(metrics::name_of(known))->metric;
  metric.request.watched = watched;
  const auto id = record.design.metrics.add(metric);
  for (auto& trial : record.log.trials)
    trial.readings.push_back({id, by_cell[static_cast<std::size_t>(trial.cell.value)] *
                                      (1 + 1e-4 * (trial.round.value_or(0) % 5))});
}

TEST(Stopping, EndsDecidedComparisons) {
  EXPECT_TRUE(is_done(going({noisy(1, 10, 1, 0.001), noisy(1.1, 10, 2, 0.001)})));
  EXPECT_FALSE(is_done(going({noisy(1, 10, 1, 0.05), noisy(1.02, 10, 2, 0.05)})));
}

TEST(Stopping, DecidedCpuTimeEndsWallTimeOfOneCore) {
  for (const double cores : {1.01, 1.2, 0.7}) {
    auto record = going({noisy(1, 14, 1, 0.3), noisy(1.05, 14, 2, 0.3)});
    add_metric(record, metrics::MetricKind::cpu_time, true, {1, 1.05});
    ASSERT_FALSE(is_done(record)) << "how many cores it used is not known";
    add_metric(record, metrics::MetricKind::cores_used, false, {cores, cores});
    EXPECT_EQ(is_done(record), cores == 1.01) << cores;
  }
}

TEST(Stopping, IgnoresCpuTimeThatDecidesNothing) {
  // Wall time that sixty rounds can't settle, of a program that waits: its CPU time can't stand in for it.
  const auto a = noisy(1, 42, 3, 0.05), b = noisy(1.02, 42, 4, 0.05);
  for (const double cores : {0.5, 1.0}) {
    int given_up = 0;
    for (unsigned i = 0; i < 20; ++i) {
      auto record = going({noisy(1, 40, 100 + i, 0.3), noisy(1, 40, 200 + i, 0.3)});
      auto cpu = metrics::find_metric_info("cpu time")->metric;
      cpu.request.watched = cpu.supporting = true;
      const auto time = record.design.metrics.add(cpu);
      for (auto& trial : record.log.trials)
        trial.readings.push_back(
            {time, (trial.cell == CellId{0} ? a : b)[static_cast<std::size_t>(trial.round.value_or(0))]});
      add_metric(record, metrics::MetricKind::cores_used, false, {cores, cores});
      given_up += is_done(record) ? 1 : 0;
    }
    EXPECT_EQ(given_up > 0, cores < 1) << cores;
  }
}

TEST(Stopping, EndsWhatTheGateHasDecided) {
  // +1.5 % is worse beyond the margin of 1 % long before it is known to be within 2 %.
  const auto record = going({noisy(1, 28, 1, 0.003), noisy(1.015, 28, 2, 0.003)});
  const auto evidence = test::evidence_of(record);
  const auto f = interim_findings(record.design, evidence).at(0);
  ASSERT_EQ(f.verdict, Verdict::worse);
  const double inside = f.interval.high - 1, across = 0.5 * (f.interval.low + f.interval.high) - 1;
  EXPECT_TRUE(is_done(record, {.allow = inside * 1.01}));
  EXPECT_FALSE(is_done(record, {.allow = across}));
  // No change within 20 %, long before "same" within 1 %.
  const auto alike = going({noisy(1, 10, 1, 0.03), noisy(1, 10, 2, 0.03)});
  EXPECT_FALSE(is_done(alike));
  EXPECT_TRUE(is_done(alike, {.allow = 0.2}));
}

TEST(Stopping, GoesOnWhileTheGateCanBeDecided) {
  // A spread of twenty margins, and a gate that allows twenty: "same" within 1 % is out of reach, the gate's
  // answer is not. Of 40 campaigns, after 28 rounds.
  int given_up = 0, gate_given_up = 0;
  for (unsigned i = 0; i < 40; ++i) {
    const auto record = going({noisy(1, 28, 100 + i, 0.14), noisy(1, 28, 200 + i, 0.14)});
    given_up += is_done(record) ? 1 : 0;
    const auto evidence = test::evidence_of(record);
    const auto f = interim_findings(record.design, evidence).at(0);
    const bool decided = f.interval.high <= 1.2;
    gate_given_up += !decided && is_done(record, {.allow = 0.2}) ? 1 : 0;
  }
  EXPECT_GT(given_up, 1);
  EXPECT_EQ(gate_given_up, 0);
}

TEST(Done, GoesOnUntilSlowRunsCouldHaveShownWhereRunsCostLittle) {
  const auto settled = going({noisy(0.1, 10, 1, 0.001), noisy(0.11, 10, 2, 0.001)});
  EXPECT_TRUE(is_done(settled));
  EXPECT_TRUE(is_done(settled, {.seconds_for_slow_runs = 2})) << "28 rounds take 6 s";
  EXPECT_FALSE(is_done(settled, {.seconds_for_slow_runs = 8}));
  EXPECT_TRUE(
      is_done(going({noisy(0.1, 28, 1, 0.001), noisy(0.11, 28, 2, 0.001)}), {.seconds_for_slow_runs = 8}));
}

TEST(Stopping, WaitsUntilAChangeIsAsSureAsPromised) {
  const auto few = going({noisy(1, 10, 1, 0.001), noisy(1.1, 10, 2, 0.001)}),
             more = going({noisy(1, 28, 1, 0.001), noisy(1.1, 28, 2, 0.001)});
  EXPECT_TRUE(is_done(few, {.promise = {.level = 0.05}}));
  EXPECT_FALSE(is_done(few, {.promise = {.level = 0.001}}));
  EXPECT_TRUE(is_done(more, {.promise = {.level = 0.001}}));
  EXPECT_TRUE(is_done(few, {.promise = {.part = 0.25}}));
  EXPECT_FALSE(is_done(few, {.promise = {.part = 0.001}}));
}

TEST(Stopping, EndsComparisonsWhoseRunsDisagree) {
  for (const std::size_t rounds : {28U, 112U}) {
    auto stalling = noisy(1, rounds, 2, 0.001);
    for (std::size_t i = 0; i < rounds; i += 10) stalling[i] *= 3;
    auto record = going({noisy(1, rounds, 1, 0.001), stalling});
    record.design.rules.rounds_max = 400;
    EXPECT_EQ(is_done(record), rounds == 112) << "3 of 28 leave it open";
  }
}

TEST(Stopping, WaitsForThePrecisionAskedFor) {
  const auto record = going({noisy(1, 14, 1, 0.01), noisy(1.2, 14, 2, 0.01)});
  EXPECT_TRUE(is_done(record, {.precise = 0.1}));
  EXPECT_FALSE(is_done(record, {.precise = 0.0001}));
}

TEST(Stopping, WaitsForAnUndecidedRequirement) {
  auto record = going({noisy(1, 20, 1, 0.001), noisy(1.2, 20, 2, 0.001)});
  auto& demand = record.design.metrics[MetricId{0}].request;
  demand.require = parse_requirement("< 5 s");
  EXPECT_TRUE(is_done(record));
  demand.require = parse_requirement("< 1 s");
  EXPECT_FALSE(is_done(record)) << "the baseline's own values lie on both sides";
}

TEST(Stopping, EndsHopelessComparisons) {
  // A spread of thirty margins: sixty rounds hardly ever tell no change from one.
  int given_up = 0;
  for (unsigned i = 0; i < 20; ++i) {
    const auto noise = going({noisy(1, 40, 100 + i, 0.3), noisy(1, 40, 200 + i, 0.3)});
    given_up += is_done(noise) ? 1 : 0;
    EXPECT_FALSE(is_done(noise, {.precise = 0.01})) << "nothing is given up then";
  }
  EXPECT_GT(given_up, 1);
  EXPECT_FALSE(is_done(going({noisy(1, 28, 1, 0.05), noisy(1.02, 28, 2, 0.05)})));
}

TEST(Twins, CalledOnesRunTenFreshRounds) {
  const auto open = [](int rounds) {
    auto record = going({noisy(1, static_cast<std::size_t>(rounds), 1, 0.001),
                         noisy(1.1, static_cast<std::size_t>(rounds), 2, 0.001)});
    record.design.candidates[CandidateId{1}].twin_of = CandidateId{0};
    const auto evidence = test::evidence_of(record);
    return aa_to_confirm(evidence, interim_findings(record.design, evidence)).contains(only);
  };
  EXPECT_TRUE(open(8));
  EXPECT_TRUE(open(17));
  EXPECT_FALSE(open(18));
}

}  // namespace
}  // namespace assay::judge
