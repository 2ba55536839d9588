#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "assay/judge/judge.hpp"
#include "assay/judge/sequential.hpp"
#include "support/records.hpp"

namespace assay::judge {
namespace {

Record sizes(double baseline, double candidate, Direction prefer = Direction::lower) {
  auto record = test::record_of({std::vector<double>(7, 1.0), std::vector<double>(7, 1.0)});
  record.design.metrics.add(
      {.name = "text size", .unit = "B", .direction = prefer, .exact = true, .request = {.watched = true}});
  for (const auto& [cell, value] : {std::pair{CellId{0}, baseline}, {CellId{1}, candidate}}) {
    Trial trial{.cell = cell, .role = Role::build};
    trial.readings = {{MetricId{1}, value}};
    record.log.trials.push_back(trial);
  }
  return record;
}

const Finding& size_finding(const Findings& all) { return all.findings.back(); }

TEST(ExactMetrics, AnyDifferenceIsAVerdictAndNoneIsSame) {
  auto findings = judge_record(sizes(1000, 1001));
  EXPECT_EQ(size_finding(findings).verdict, Verdict::worse);
  EXPECT_DOUBLE_EQ(size_finding(findings).effect.value, 1.001);
  EXPECT_DOUBLE_EQ(size_finding(findings).interval.low, 1.001);
  EXPECT_EQ(size_finding(findings).margin, 0);
  EXPECT_TRUE(size_finding(findings).decided);
  EXPECT_EQ(size_finding(judge_record(sizes(1000, 999))).verdict, Verdict::better);
  EXPECT_EQ(size_finding(judge_record(sizes(1000, 999, Direction::higher))).verdict, Verdict::worse);
  findings = judge_record(sizes(1000, 1000));
  EXPECT_EQ(size_finding(findings).verdict, Verdict::same);
  EXPECT_EQ(size_finding(findings).p, 1);
}

TEST(ExactMetrics, ZeroIsComparedWithZeroOnly) {
  EXPECT_EQ(size_finding(judge_record(sizes(0, 0))).verdict, Verdict::same);
  const auto unequal = sizes(0, 5);
  EXPECT_EQ(compare_exactly(test::evidence_of(unequal), MetricId{1}, false)->at(0).rounds, 0U);
}

TEST(ExactMetrics, AValueOnOneSideOnlyGivesNoFinding) {
  auto record = sizes(10, 20);
  record.log.trials.pop_back();
  EXPECT_EQ(compare_exactly(test::evidence_of(record), MetricId{1}, false)->at(0).rounds, 0U);
}

TEST(ExactMetrics, OneThatVariesIsNotExact) {
  auto record = sizes(10, 20);
  record.log.trials.push_back(record.log.trials.back());
  record.log.trials.back().readings[0].value = 21;
  EXPECT_FALSE(compare_exactly(test::evidence_of(record), MetricId{1}, false));
}

TEST(SupportingMetrics, ShareOneErrorRate) {
  const std::vector<double> low = {1, 1, 1, 1, 1, 1, 1, 1}, high = {2, 2, 2, 2, 2, 2, 2, 2};
  auto record = test::record_of({low, high}, "minor faults");
  record.design.metrics[MetricId{0}].request.watched = false;
  record.design.metrics[MetricId{0}].supporting = true;
  EXPECT_EQ(judge_record(record).findings.at(0).verdict, Verdict::worse) << "p = 2/256 alone";
  for (int i = 0; i < 9; ++i) {
    record.design.metrics.add({.name = "other " + std::to_string(i), .supporting = true});
  }
  EXPECT_EQ(judge_record(record).findings.at(0).verdict, Verdict::unclear) << "2/256 is above 5 %/10";
  for (auto& metric : record.design.metrics) metric.request.missing = "not here";
  record.design.metrics[MetricId{0}].request.missing.clear();
  EXPECT_EQ(judge_record(record).findings.at(0).verdict, Verdict::worse) << "what is missing does not count";
}

TEST(ResolutionLimit, ValuesBelowItAreNotJudged) {
  const std::vector<double> low = {0.98, 0.98, 0.98, 0.98, 0.98, 0.98, 0.98}, high(7, 2.0);
  auto record = test::record_of({low, high}, "user time");
  record.design.metrics[MetricId{0}].resolution_limit = 1;
  auto findings = judge_record(record);
  EXPECT_TRUE(findings.findings.empty());
  ASSERT_EQ(findings.notes.size(), 2U);  // the other is about the warm-up
  EXPECT_THAT(test::notes_of(findings)[0], testing::HasSubstr("too coarse below a second"));
  record.design.metrics[MetricId{0}].resolution_limit = 0.97;
  EXPECT_EQ(judge_record(record).findings.size(), 1U);
}

}  // namespace
}  // namespace assay::judge
