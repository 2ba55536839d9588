#include "assay/judge/gate.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "assay/judge/judge.hpp"
#include "assay/report/note_text.hpp"
#include "support/noise.hpp"
#include "support/records.hpp"

namespace assay::judge {
namespace {
using test::noisy;
using test::record_of;
using testing::HasSubstr;

TEST(Gate, PassesFailsOrIsUndecided) {
  const auto status = [](double ratio, double noise, const Gate& gate) {
    const auto record = record_of({noisy(1, 20, 1, noise), noisy(ratio, 20, 2, noise)});
    return evaluate_gate(judge_record(record), gate);
  };
  EXPECT_EQ(status(1, 0.001, {}).status, GateStatus::passed);
  EXPECT_EQ(status(0.8, 0.01, {}).status, GateStatus::passed) << "better is no matter";
  EXPECT_EQ(status(1.05, 0.001, {}).status, GateStatus::failed);
  EXPECT_EQ(status(1.05, 0.001, {.allow = 0.1}).status, GateStatus::passed);
  const auto open = status(1, 0.1, {});
  EXPECT_EQ(open.status, GateStatus::undecided);
  EXPECT_TRUE(open.passes);
  EXPECT_FALSE(status(1, 0.1, {.undecided_passes = false}).passes);
}

TEST(Gate, FailsOnlyWhenTheWholeIntervalIsBeyond) {
  const Metric metric{.name = "wall time", .unit = "s"};
  const auto status = [&](double low, double high, double allow) {
    return evaluate_gate(Finding{.verdict = Verdict::worse,
                                 .effect = {Scale::ratio, (low + high) / 2},
                                 .interval = {low, high},
                                 .margin = 0.01},
                         metric, allow);
  };
  EXPECT_EQ(status(1.005, 1.019, 0.02), GateStatus::passed);
  EXPECT_EQ(status(1.015, 1.04, 0.02), GateStatus::undecided) << "the estimate alone is beyond";
  EXPECT_EQ(status(1.021, 1.04, 0.02), GateStatus::failed);
  EXPECT_EQ(status(1.011, 1.019, 0), GateStatus::failed) << "the margin is all that is allowed";
  const Metric rate{.name = "throughput", .unit = "1/s", .direction = Direction::higher};
  const Finding fell{.effect = {Scale::ratio, 0.95}, .interval = {0.94, 0.96}, .margin = 0.01};
  EXPECT_EQ(evaluate_gate(fell, rate, 0.02), GateStatus::failed);
  EXPECT_EQ(evaluate_gate(fell, rate, 0.07), GateStatus::passed);
}

TEST(Gate, CountsStatusesAndRequirements) {
  auto record = record_of({noisy(1, 20, 1), noisy(1, 20, 2), noisy(1, 20, 3)});
  record.log.status_changes.push_back({CellId{2}, {StatusCode::wrong, "line 1"}});
  const auto wrong = evaluate_gate(judge_record(record), {});
  EXPECT_EQ(wrong.status, GateStatus::failed);
  EXPECT_EQ(wrong.reasons.front().kind, GateReason::Kind::wrong);
  EXPECT_THAT(report::note_text(record.design, wrong.reasons.front()).text,
              HasSubstr("its answer is wrong: line 1"));
  record.log.status_changes.push_back({CellId{2}, {StatusCode::unsupported, {}}});
  record.design.metrics[MetricId{0}].request.require = parse_requirement("< 500 ms");
  const auto broken = evaluate_gate(judge_record(record), {});
  EXPECT_EQ(broken.status, GateStatus::failed);
  EXPECT_THAT(report::note_text(record.design, broken.reasons.front()).text,
              HasSubstr("required < 500 ms, is violated"));
}

TEST(Gate, HoldsOnlyWhatIsChosen) {
  const auto record = record_of({noisy(1, 20, 1), noisy(1, 20, 2), noisy(1.5, 20, 3)});
  auto all = judge_record(record);
  EXPECT_EQ(evaluate_gate(all, {}).status, GateStatus::failed);
  const auto chosen = parse_cell_filter("candidate=rival1");
  filter_results(all, chosen);
  const auto result = evaluate_gate(all, {}, chosen);
  EXPECT_EQ(result.status, GateStatus::passed);
  EXPECT_EQ(result.reasons.size(), 1U);
}

TEST(Gate, RefusesUnpairedCampaignsByDefault) {
  auto record = record_of({noisy(1, 20, 1, 0.001), noisy(1.05, 20, 2, 0.001)});
  EXPECT_FALSE(evaluate_gate(judge_record(record), {}).unpaired);
  auto cut_off = record;  // before its first round was whole
  cut_off.log.state = CampaignState::interrupted;
  cut_off.log.rounds.clear();
  cut_off.log.trials.clear();
  const auto open = evaluate_gate(judge_record(cut_off), {});
  EXPECT_EQ(open.status, GateStatus::undecided);
  EXPECT_FALSE(open.unpaired) << "it was to run side by side";
  record.log.rounds.clear();
  for (auto& trial : record.log.trials) trial.round.reset();
  const auto apart = evaluate_gate(judge_record(record), {});
  EXPECT_EQ(apart.status, GateStatus::failed);
  EXPECT_TRUE(apart.unpaired);
}

}  // namespace
}  // namespace assay::judge
