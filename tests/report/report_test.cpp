#include "assay/report/report.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "assay/judge/judge.hpp"
#include "support/noise.hpp"
#include "support/records.hpp"

namespace assay::report {
namespace {

using test::noisy;
using test::record_of;
using testing::ElementsAre;
using testing::HasSubstr;

/// A baseline, one 10 % slower, one whose answers are wrong.
Record three() {
  auto record = record_of({noisy(1, 12, 1, 0.001), noisy(1.1, 12, 2, 0.001), noisy(1, 12, 3, 0.001)});
  record.design.title = "locks";
  record.log.status_changes.push_back({CellId{2}, {StatusCode::wrong, "lost a barge\nthen sank"}});
  return record;
}

TEST(Report, BlockHasARowForEachCandidateAndWhatIsMissing) {
  const auto record = three();
  const auto all = judge::judge_record(record);
  const auto report = make_report(all, &record);
  EXPECT_EQ(report.title, "locks");
  ASSERT_EQ(report.blocks.size(), 1U);
  const auto& block = report.blocks[0];
  EXPECT_EQ(block.better, "lower is better");
  EXPECT_THAT(block.rules, HasSubstr("margin 1 %; 12 rounds"));
  ASSERT_EQ(block.settings.size(), 1U);
  ASSERT_EQ(block.settings[0].rows.size(), 2U);
  const auto& slower = block.settings[0].rows[0];
  EXPECT_EQ(slower.finding, &all.findings[0]);
  EXPECT_EQ(slower.change, "+10 %");
  EXPECT_EQ(slower.sign + " " + slower.verdict, "! slower");
  EXPECT_EQ(slower.rounds_needed, "");
  const auto& wrong = block.settings[0].rows[1];
  EXPECT_EQ(wrong.finding, nullptr);
  EXPECT_EQ(wrong.verdict, "wrong");
  EXPECT_EQ(wrong.reason, "wrong: lost a barge");
  EXPECT_THAT(block.findings(), ElementsAre(&all.findings[0]));
}

TEST(Report, ReportsWhoIsLeftOutAndWhy) {
  const auto record = three();
  const auto all = judge::judge_record(record);
  const auto report = make_report(all, &record);
  ASSERT_EQ(report.left_out.size(), 1U);
  EXPECT_EQ(report.left_out[0].what, "wrong: lost a barge\nthen sank");
  EXPECT_EQ(report.candidates.first.size(), 2U);
  EXPECT_EQ(report.programs.size(), 3U);
}

TEST(Report, ChartsTrialsWhereThereAreAny) {
  const auto record = three();
  const auto all = judge::judge_record(record);
  EXPECT_TRUE(make_report(all).charts.empty());
  const auto charts = make_report(all, &record).charts;
  ASSERT_EQ(charts.size(), 3U);
  EXPECT_EQ(std::get<DecileChart>(charts[0].of).metric, MetricId{0});
  EXPECT_THAT(std::get<TrialsChart>(charts[1].of).cells, ElementsAre(CellId{0}, CellId{1}));
  EXPECT_FALSE(std::get<TrialsChart>(charts[1].of).over_rounds);
  EXPECT_TRUE(std::get<TrialsChart>(charts[2].of).over_rounds);
}

TEST(Report, ProvisionalUntilTheCampaignHasEnded) {
  const auto record = three();
  auto all = judge::judge_record(record);
  EXPECT_EQ(make_report(all).provisional, "");
  all.provisional = true;
  all.state = CampaignState::interrupted;
  EXPECT_EQ(make_report(all).provisional, "provisional, the campaign was interrupted after 12 whole rounds");
}

}  // namespace
}  // namespace assay::report
