#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "assay/ledger/ledger.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/model/error.hpp"
#include "assay/plan/plan_file.hpp"
#include "assay/setup/run_plan.hpp"
#include "support/plans.hpp"
#include "support/tool.hpp"

namespace assay::setup {
namespace {

using test::finding_on;
using test::plan_of;
using test::Scratch;
using testing::HasSubstr;

PlannedMetric rate(const std::string& from = "stdout") {
  return {.metric = {.name = "rate", .unit = "1/s", .direction = Direction::higher},
          .from = from,
          .pattern = "^rate ([0-9.]+)"};
}

TEST(OwnMetrics, ANumberOnStdoutIsJudged) {
  auto plan = plan_of({{"say", "rate 100"}, {"say", "rate 150"}});
  plan.metrics = {rate()};
  plan.watch = {"rate"};
  const auto findings = run_plan(plan);
  const auto& f = finding_on(findings, "rate");
  EXPECT_EQ(f.verdict, Verdict::better);
  EXPECT_DOUBLE_EQ(f.effect.value, 1.5);
  EXPECT_EQ(f.baseline_typical, 100);
}

TEST(OwnMetrics, ASeriesIsKeptWithItsTimesAndPickedFrom) {
  const Scratch scratch;
  auto plan = plan_of({{"complain", "0.5 rate 10", "complain", "1.5 rate 30", "complain", "2 rate 20"},
                       {"complain", "0.5 rate 11", "complain", "1 rate 12"}});
  plan.metrics = {rate("stderr")};
  plan.metrics[0].pattern = "^(?P<at>[0-9.]+) rate ([0-9]+)";
  plan.metrics[0].aggregate = parse_aggregate("max");
  const auto findings = run_plan(plan, {.ledger = scratch.path("l.db")});
  EXPECT_EQ(finding_on(findings, "rate").baseline_typical, 30);
  EXPECT_EQ(finding_on(findings, "rate").candidate_typical, 12);
  ledger::Ledger ledger(scratch.path("l.db"));
  const auto record = ledger.read(ledger.list().at(0).id);
  const auto trial = std::ranges::find_if(
      record.log.trials, [](const Trial& t) { return t.role == Role::measured && t.cell == CellId{0}; });
  ASSERT_NE(trial, record.log.trials.end());
  ASSERT_EQ(trial->series.size(), 3U);
  EXPECT_EQ(trial->series[1].at, 1.5);
  EXPECT_EQ(trial->series[1].value, 30);
}

TEST(OwnMetrics, TheLeadInIsLeftOutOfThePickAndStaysInTheSeries) {
  const Scratch scratch;
  auto plan = plan_of({{"complain", "0.5 rate 90", "complain", "1.5 rate 30", "complain", "2 rate 32"},
                       {"complain", "0.5 rate 80", "complain", "1.0 rate 40", "complain", "2 rate 42"}});
  plan.metrics = {rate("stderr")};
  plan.metrics[0].pattern = "^(?P<at>[0-9.]+) rate ([0-9]+)";
  plan.metrics[0].aggregate = parse_aggregate("max");
  plan.metrics[0].metric.request.lead_in = parse_lead_in("1 s");
  const auto findings = run_plan(plan, {.ledger = scratch.path("l.db")});
  EXPECT_EQ(finding_on(findings, "rate").baseline_typical, 32);
  EXPECT_EQ(finding_on(findings, "rate").candidate_typical, 42);
  ledger::Ledger ledger(scratch.path("l.db"));
  const auto record = ledger.read(ledger.list().at(0).id);
  EXPECT_TRUE(std::ranges::any_of(record.design.metrics,
                                  [](const Metric& m) { return m.request.lead_in == LeadIn{.seconds = 1}; }));
  EXPECT_EQ(record.log.trials.back().series.size(), 3U);
}

TEST(OwnMetrics, ALeadInThatLeavesNothingIsAProblem) {
  auto plan = plan_of({{"say", "rate 5"}, {"say", "rate 5"}});
  plan.metrics = {rate()};
  plan.metrics[0].metric.request.lead_in = parse_lead_in("3");
  const auto findings = run_plan(plan);
  EXPECT_THAT(findings.statuses[CellId{0}].detail, HasSubstr("all 1 of its values lie within lead_in = 3"));
}

TEST(OwnMetrics, AFileThatTheTrialWritesIsRead) {
  const Scratch scratch;
  auto plan =
      plan_of({{"make", "c0.json", R"({"rate": 7})"}, {"make", "c1.json", R"({"rate": [8, 9, 10]})"}});
  plan.folder = scratch.path();
  plan.metrics = {rate("${candidate}.json")};
  plan.metrics[0].pattern.clear();
  plan.metrics[0].json = "/rate";
  const auto findings = run_plan(plan);
  EXPECT_EQ(finding_on(findings, "rate").baseline_typical, 7);
  EXPECT_EQ(finding_on(findings, "rate").candidate_typical, 9);
}

TEST(OwnMetrics, AFileLeftFromBeforeIsNotTheTrials) {
  const Scratch scratch;
  scratch.file("old.txt", "rate 5\n");
  auto plan = plan_of({{"say", "x"}, {"say", "x"}});
  plan.folder = scratch.path();
  plan.metrics = {rate("old.txt")};
  const auto findings = run_plan(plan);
  EXPECT_EQ(findings.statuses[CellId{0}].code, StatusCode::failed);
  EXPECT_THAT(findings.statuses[CellId{0}].detail, HasSubstr("rate: the trial did not write old.txt"));
}

TEST(OwnMetrics, APatternThatMatchesNothingIsAnErrorOfThatTrial) {
  auto plan = plan_of({{"say", "rate 5"}, {"say", "speed 5"}});
  plan.metrics = {rate()};
  const auto findings = run_plan(plan);
  EXPECT_EQ(findings.statuses[CellId{0}].code, StatusCode::ok);
  EXPECT_EQ(findings.statuses[CellId{1}].code, StatusCode::failed);
  EXPECT_THAT(findings.statuses[CellId{1}].detail,
              HasSubstr("nothing matches its pattern, which begins \"speed 5\""));
}

TEST(OwnMetrics, OutputTooLongToKeepIsReported) {
  auto plan = plan_of({{"say", "rate 5"}, {"say", "rate 5", "write", "20000000"}});
  plan.metrics = {rate()};
  const auto findings = run_plan(plan);
  EXPECT_THAT(findings.statuses[CellId{1}].detail, HasSubstr("stdout is longer than 16 MiB"));
}

TEST(OwnMetrics, OneOfAssaysOwnIsRefined) {
  auto plan = plan_of({{"touch", "10"}, {"touch", "13"}});
  plan.metrics = {{.metric = metrics::find_metric_info("peak memory")->metric}};
  plan.metrics[0].metric.request.margin = 0.9;
  plan.watch = {"peak memory"};
  const auto findings = run_plan(plan);
  EXPECT_EQ(finding_on(findings, "peak memory").verdict, Verdict::same) << "a third more is within 90 %";
}

TEST(OwnMetrics, AnExactOneThatVariesIsJudgedAsNoisyAndReported) {
  const Scratch scratch;
  auto plan = plan_of({{"count-runs", scratch.path("a")}, {"count-runs", scratch.path("b")}});
  plan.metrics = {rate()};
  plan.metrics[0].metric.exact = true;
  plan.metrics[0].pattern = "run ([0-9]+)";
  plan.watch = {"rate"};
  const auto findings = run_plan(plan);
  EXPECT_NE(finding_on(findings, "rate").method, TestMethod::compared_directly);
  EXPECT_GE(std::ranges::count(findings.notes, NoteKind::not_exact, &Note::kind), 1);
}

TEST(OwnMetrics, OnlyTheWorkloadsNamedYieldThem) {
  auto plan = plan_of({{}, {}});
  for (auto& candidate : plan.candidates) {
    candidate.run.clear();
    candidate.exe = BEHAVE;
  }
  plan.workloads = {{.name = "told", .run = {BEHAVE, "say", "rate 5"}},
                    {.name = "silent", .run = {BEHAVE, "say", "x"}}};
  plan.metrics = {rate()};
  plan.metrics[0].workloads = {"told"};
  const auto findings = run_plan(plan);
  for (const auto& state : findings.statuses) EXPECT_TRUE(state.is_ok()) << state.detail;
  EXPECT_EQ(finding_on(findings, "rate").rounds, 6U);
}

}  // namespace
}  // namespace assay::setup
