#include "assay/history/history_line.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "assay/history/measured_values.hpp"
#include "assay/report/history_text.hpp"
#include "support/records.hpp"

namespace assay::history {
namespace {

using testing::HasSubstr;

const SeriesKey orders{"orders", "", "wall time"};

MeasuredValue value(int commit, double effect, const std::string& machine = "here",
                    const std::string& work = "w", double half = 0.01) {
  return {.commit = "c" + std::to_string(commit),
          .where = orders,
          .definition = work,
          .environment = machine + "/r",
          .machine = machine,
          .campaign = "u",
          .effect = {Scale::ratio, effect},
          .interval = {effect * (1 - half), effect * (1 + half)},
          .rounds = 7,
          .started = machine == "here" ? 2 : 1};
}

MeasuredValues archive_of(std::vector<MeasuredValue> values) {
  MeasuredValues archive;
  archive.values = std::move(values);
  archive.metrics["wall time"] = {.name = "wall time", .unit = "s"};
  return archive;
}

std::map<std::string, std::size_t> places(std::size_t count) {
  std::map<std::string, std::size_t> all;
  for (std::size_t i = 0; i < count; ++i) all["c" + std::to_string(i)] = i;
  return all;
}

HistoryLine line(std::vector<MeasuredValue> values, const std::string& era = "here/r") {
  return make_line(archive_of(std::move(values)), orders, "w", places(20), era, 0.01);
}

TEST(HistoryLine, JoinsWhatSeveralCampaignsKnownOfACommit) {
  const auto found = line({value(1, 1.00), value(1, 1.01), value(2, 1.0), value(2, 1.2)});
  ASSERT_EQ(found.points.size(), 2);
  EXPECT_NEAR(found.points[0].effect.value, 1.005, 1e-3);
  EXPECT_EQ(found.points[0].campaigns, 2);
  EXPECT_EQ(found.points[0].rounds, 14);
  EXPECT_FALSE(found.points[0].heterogeneous);
  EXPECT_LT(found.points[0].interval.low, 1.00) << "two campaigns tell little of how far campaigns differ";
  EXPECT_GT(found.points[0].interval.high, 1.01);
  EXPECT_TRUE(found.points[1].heterogeneous);
}

TEST(HistoryLine, ASlowerMachineIsMovedByTheCommitsThatBothMeasured) {
  std::vector<MeasuredValue> values;
  for (int i = 1; i <= 8; ++i) values.push_back(value(i, 1.05, "old"));
  for (int i = 6; i <= 12; ++i) values.push_back(value(i, 1.10));
  const auto found = line(values);
  ASSERT_EQ(found.points.size(), 12);
  EXPECT_TRUE(found.points[0].shifted);
  EXPECT_NEAR(found.points[0].effect.value, 1.10, 1e-3);
  EXPECT_FALSE(found.points[6].shifted);
  ASSERT_EQ(found.breaks.size(), 1);
  EXPECT_EQ(found.breaks[0].overlapping_commits, 3);
  EXPECT_NEAR(found.breaks[0].shift->value, 1.10 / 1.05, 1e-3);
  EXPECT_TRUE(found.steps.empty()) << "the machine is no step of the program";
  EXPECT_THAT(report::notes_of({.lines = {found}}).front(),
              testing::AllOf(HasSubstr("another machine"), HasSubstr("3 commits measured on both sides")));
}

TEST(HistoryLine, WithoutCommonCommitsAnotherMachineShowsNothing) {
  const auto found = line({value(1, 1.0, "old"), value(2, 1.0), value(3, 1.0)});
  EXPECT_EQ(found.points.size(), 2);
  EXPECT_EQ(found.breaks.front().kind, HistoryBreak::Kind::machine);
  EXPECT_EQ(found.breaks.front().overlapping_commits, 0);
  EXPECT_FALSE(found.breaks.front().shift);
  EXPECT_THAT(report::notes_of({.lines = {found}}).front(), HasSubstr("so 1 value is left out"));
  EXPECT_EQ(line({value(1, 1.0, "old")}, "").points.size(), 1) << "nothing from here: the newest era";
}

TEST(HistoryLine, AWorkloadThatChangedBeginsANewLine) {
  const auto found = line({value(1, 1.0, "here", "before"), value(2, 1.0)});
  EXPECT_EQ(found.points.size(), 1);
  EXPECT_THAT(report::notes_of({.lines = {found}}).front(),
              HasSubstr("1 commit was measured with another definition of orders"));
}

TEST(HistoryLine, LevelsBetweenWhichNoStepWasFoundAreOne) {
  std::vector<MeasuredValue> values;
  for (int i = 1; i <= 27; ++i)
    values.push_back(value(i, (i > 18 ? 1.2 : i > 9 ? 1.1 : 1.0) + 0.001 * (i % 3)));
  auto found = line(values);
  ASSERT_EQ(found.steps.size(), 2);
  ASSERT_EQ(found.levels.size(), 3);
  found.steps[0].status = HistoryStep::Status::refuted;
  found.steps[1].status = HistoryStep::Status::confirmed;
  merge_levels(found);
  ASSERT_EQ(found.levels.size(), 2);
  EXPECT_EQ(found.levels[0].first, 0);
  EXPECT_EQ(found.levels[0].end, 18);
  EXPECT_NEAR(found.levels[0].level.value, std::sqrt(1.001 * 1.101), 1e-3);
  EXPECT_LT(found.levels[0].interval.low, found.levels[0].level.value);
  EXPECT_GT(found.levels[0].interval.high, found.levels[0].level.value);
  EXPECT_NEAR(found.levels[1].level.value, 1.201, 1e-3);
}

TEST(HistoryLine, ProposesTheStepAndReportsThatItIsNotMeasured) {
  std::vector<MeasuredValue> values;
  for (int i = 1; i <= 18; ++i) values.push_back(value(i, (i > 9 ? 1.08 : 1.0) + 0.001 * (i % 3)));
  const auto found = line(values);
  ASSERT_EQ(found.steps.size(), 1);
  EXPECT_EQ(found.points[found.steps[0].after].commit_index, 10);
  EXPECT_NEAR(found.steps[0].effect.value, 1.08, 0.005);
  History history{.reference = "v1", .lines = {found}};
  for (int i = 0; i < 20; ++i) history.commits.push_back({.id = "c" + std::to_string(i), .subject = "s"});
  EXPECT_THAT(report::sentences_of(history, found).front().text,
              testing::AllOf(HasSubstr("a step of about +8"), HasSubstr("not measured yet")));
}

}  // namespace
}  // namespace assay::history
