#include "assay/judge/judge.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "assay/judge/paired_test.hpp"
#include "support/records.hpp"

namespace assay::judge {
namespace {

using test::record_of;
using testing::HasSubstr;

const std::vector<double> ten = {1.00, 1.10, 1.05, 0.98, 1.20, 1.01, 1.15, 1.07, 1.03, 1.12};

std::vector<double> times(double factor) {
  auto scaled = ten;
  for (std::size_t i = 0; i < scaled.size(); ++i) scaled[i] *= factor * (1 + 0.0001 * static_cast<double>(i));
  return scaled;
}

TEST(JudgeRecord, JudgesEveryContrastFromPairedRounds) {
  const auto findings = judge_record(record_of({ten, times(0.8), times(1.3), times(1)}));
  ASSERT_EQ(findings.findings.size(), 3U);
  EXPECT_EQ(findings.findings[0].verdict, Verdict::better);
  EXPECT_EQ(findings.findings[1].verdict, Verdict::worse);
  EXPECT_EQ(findings.findings[2].verdict, Verdict::same);
  EXPECT_EQ(findings.findings[0].rounds, 10U);
  EXPECT_EQ(findings.rounds, 10U);
  EXPECT_FALSE(findings.provisional);
}

TEST(JudgeRecord, AdjustsPOverTheFindingsOfAMetric) {
  const auto findings = judge_record(record_of({ten, times(0.8), times(1.3)}));
  for (const auto& f : findings.findings) EXPECT_NEAR(f.p_adjusted, 2.0 / 1024 / share_of_typical, 1e-15);
}

TEST(JudgeRecord, TheWarmUpIsKeptSeparate) {
  const auto record = record_of({ten, times(0.8)});
  const auto evidence = test::evidence_of(record);
  const auto& values = evidence.values(MetricId{0});
  EXPECT_EQ(values.size(), 20U);
  EXPECT_EQ(std::count(values.value.begin(), values.value.end(), 99.0), 0);
  EXPECT_EQ(evidence.values(MetricId{0}, Observations::Source::warm_up).value, (std::vector{99.0, 99.0}));
}

TEST(JudgeRecord, AFailedTrialTakesItsPairOutAndIsNoted) {
  auto record = record_of({ten, times(0.8)});
  for (auto& trial : record.log.trials)
    if (trial.cell == CellId{1} && trial.round == 4) trial.outcome = Outcome::failed;
  const auto findings = judge_record(record);
  EXPECT_EQ(findings.findings.at(0).rounds, 9U);
  ASSERT_EQ(findings.notes.size(), 2U);  // the other is about the warm-up
  EXPECT_THAT(test::notes_of(findings)[0], HasSubstr("failed in 1 of 10 trials"));
}

TEST(JudgeRecord, AbortedRoundsAreNotJudged) {
  auto record = record_of({ten, times(0.8)});
  record.log.rounds.back().state = RoundState::aborted;
  record.log.state = CampaignState::interrupted;
  const auto findings = judge_record(record);
  EXPECT_EQ(findings.findings.at(0).rounds, 9U);
  EXPECT_TRUE(findings.provisional);
}

TEST(JudgeRecord, TooFewPairsAreShownWithoutAVerdict) {
  auto record = record_of({{1, 2, 3, 4, 5}, {3, 6, 9, 12, 15}});
  const auto seen = judge_record(record).findings.at(0);
  EXPECT_EQ(seen.verdict, Verdict::unclear);
  EXPECT_FALSE(seen.decided);
  EXPECT_EQ(seen.rounds, 5U);
  EXPECT_NEAR(seen.effect.value, 3, 1e-12);
  EXPECT_EQ(seen.interval.low, 0);
  EXPECT_TRUE(std::isinf(seen.interval.high)) << "five rounds can exclude nothing";
  EXPECT_EQ(seen.p, 1);
  EXPECT_EQ(seen.rounds_to_decide->obstacle, RoundsToDecide::Obstacle::too_few_rounds);
  record = record_of({{1, 2, 3, 4, 5, 6}, {1, 2, 3, 4, 5, 6}});
  EXPECT_EQ(judge_record(record).findings.size(), 1U);
}

TEST(JudgeRecord, CandidatesThatAreNotOkAreLeftOutAndTheOthersGoOn) {
  auto record = record_of({ten, times(0.8), times(0.5)});
  record.log.status_changes.push_back({CellId{2}, {StatusCode::wrong, {}}});
  const auto findings = judge_record(record);
  ASSERT_EQ(findings.findings.size(), 1U);
  EXPECT_EQ(findings.candidate_cell(findings.findings[0]).candidate, CandidateId{1});
}

TEST(JudgeRecord, ReportsWhenOutputsDifferProcessesWereLeftOrProgramsAreTheSame) {
  auto record = record_of({ten, times(0.8)});
  Trial check{.cell = {0}, .role = Role::check};
  check.output_digest = "a";
  record.log.trials.push_back(check);
  check.cell = {1};
  check.output_digest = "b";
  record.log.trials.push_back(check);
  record.log.trials[3].orphans = 2;
  record.design.candidates[CandidateId{0}].from = {.exe = "./old", .exe_digest = "same"};
  record.design.candidates[CandidateId{1}].from = {.exe = "./new", .exe_digest = "same"};
  std::string all;
  for (const auto& text : test::notes_of(judge_record(record))) all += text + "\n";
  EXPECT_THAT(all, HasSubstr("its output differs from the baseline's"));
  EXPECT_THAT(all, HasSubstr("(2 in all)"));
  EXPECT_THAT(all, HasSubstr("byte for byte"));
}

}  // namespace
}  // namespace assay::judge
