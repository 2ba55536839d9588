#include "assay/model/observations.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "assay/judge/judge.hpp"
#include "assay/render/documents.hpp"
#include "support/noise.hpp"
#include "support/records.hpp"

namespace assay::judge {
namespace {

using test::noisy;
using test::record_of;
using testing::ElementsAre;
using testing::HasSubstr;

TEST(Evidence, CountsRoundsBelowTheLowestThatIsOpen) {
  auto record = record_of({{1, 2, 3, 4, 5}, {1, 2, 3, 4, 5}});
  EXPECT_THAT(complete_rounds(record.log), ElementsAre(1, 2, 3, 4, 5, 6));
  record.log.rounds[2].state = RoundState::aborted;
  EXPECT_THAT(complete_rounds(record.log), ElementsAre(1, 2, 4, 5, 6));
  record.log.rounds[4].state = RoundState::open;
  EXPECT_THAT(complete_rounds(record.log), ElementsAre(1, 2, 4)) << "the sixth was quicker than the fifth";
}

TEST(Observations, LeaveAbortedRoundsOutForExactMetrics) {
  auto record = record_of({{5, 5, 5, 5, 5, 5, 5}, {5, 5, 5, 5, 5, 5, 6}}, "answers");
  record.design.metrics[MetricId{0}].exact = true;
  EXPECT_EQ(judge_record(record).findings.at(0).verdict, Verdict::unclear) << "it varied";
  record.log.rounds.back().state = RoundState::aborted;
  const auto finding = judge_record(record).findings.at(0);
  EXPECT_EQ(finding.verdict, Verdict::same);
  EXPECT_EQ(finding.method, TestMethod::compared_directly);
}

TEST(Evidence, SortsTrialsByWhatTheyTell) {
  auto record = record_of({{1, 2, 3}, {1, 2, 3}});
  record.log.trials[2].role = Role::control;
  record.log.trials[4].outcome = Outcome::discarded;
  record.log.trials[4].detail = "the machine slept";
  record.log.trials[6].outcome = Outcome::failed;
  record.log.trials.push_back({.cell = {1}, .role = Role::build, .readings = {{MetricId{0}, 40}}});
  const auto evidence = test::evidence_of(record);
  EXPECT_EQ(evidence.values(MetricId{0}).size(), 3U);
  EXPECT_EQ(evidence.values(MetricId{0}, Observations::Source::control).size(), 1U);
  EXPECT_EQ(evidence.values(MetricId{0}, Observations::Source::warm_up).size(), 2U);
  EXPECT_THAT(evidence.values(MetricId{0}, Observations::Source::built).value, ElementsAre(40));
  EXPECT_EQ(evidence.of(CellId{0}).failed, 1U);
  EXPECT_EQ(evidence.discard_reasons().at("the machine slept"), 1U);
}

TEST(Evidence, ATrialThatTimedOutIsSlowerThanAll) {
  // Three per cent quicker in three of four rounds, and hung in the fourth: not better.
  std::vector<double> list, rival;
  for (int i = 0; i < 20; ++i) {
    list.push_back(1 + 0.001 * (i * 7 % 5));
    rival.push_back(i % 4 == 3 ? 10 : 0.97 + 0.001 * (i * 3 % 5));
  }
  auto record = record_of({list, rival});
  const auto memory = record.design.metrics.add({.name = "peak memory", .unit = "B"});
  for (auto& trial : record.log.trials) {
    trial.readings.push_back({memory, 5e6});
    if (trial.cell == CellId{1} && trial.readings[0].value == 10) trial.outcome = Outcome::timed_out;
  }
  const auto findings = judge_record(record);
  EXPECT_EQ(findings.findings.at(0).rounds, 20U);
  EXPECT_NE(findings.findings.at(0).verdict, Verdict::better);
  EXPECT_EQ(test::evidence_of(record).values(memory).size(), 35U)
      << "of a program that was ended it says nothing";
  EXPECT_THAT(test::notes_of(findings),
              testing::Contains(HasSubstr("ran into its time limit in 5 of 20 trials")));
}

TEST(CandidateSummary, NamesTheBaselineThatFailed) {
  auto record = record_of({noisy(1, 8, 1), noisy(1, 8, 2)});
  record.log.status_changes.push_back({CellId{0}, {StatusCode::failed, "exit status 1"}});
  const auto text = render::to_text(judge_record(record), {});
  EXPECT_THAT(text, HasSubstr("rival1  not compared: its baseline, list, failed"));
}

TEST(Ranking, TextEndsWithTheUnplaced) {
  auto findings = judge_record(record_of(std::vector<std::vector<double>>(5, noisy(1, 8, 1))));
  using Step = Ranking::Step;
  findings.rankings = {{.places = {{{1}}, {{0}, Step::same}, {{2}, Step::apart}}, .unplaced = {{3}, {4}}}};
  EXPECT_THAT(render::to_text(findings, {}),
              HasSubstr("order, wall time: rival1 = list < rival2; rival3, rival4: too few rounds to place"));
}

TEST(Reversals, FollowTheOrderOfSizes) {
  auto record = record_of({noisy(1, 20, 1), noisy(1.3, 20, 2), noisy(1, 20, 3), noisy(1.2, 20, 4),
                           noisy(1, 20, 5), noisy(0.5, 20, 6)});
  record.design.candidates = test::first_of(record.design.candidates, 2);
  record.design.factors = {{.name = "locks", .levels = {}, .role = Factor::Role::size}};
  record.design.comparisons.clear();
  const std::int64_t listed[] = {800, 200, 3200};  // worse, worse, better in the order of sizes
  for (const auto id : record.design.cells.ids()) {
    auto& cell = record.design.cells[id];
    cell.candidate = {id.value % 2};
    cell.setting.levels["locks"] = listed[id.value / 2];
    if (id.value % 2 == 1) record.design.comparisons.push_back({{id.value - 1}, id});
  }
  std::swap(record.design.cells[CellId{2}].setting, record.design.cells[CellId{4}].setting);
  std::swap(record.design.cells[CellId{3}].setting, record.design.cells[CellId{5}].setting);
  // Now: 800 worse, 3200 worse, 200 better.
  const auto turns = judge_record(record).reversals;
  ASSERT_EQ(turns.size(), 1U) << "between 200 and 800; in the order of listing it would be 3200 and 200";
  EXPECT_EQ(to_string(turns[0].last_level), "200");
  EXPECT_EQ(to_string(turns[0].first_level), "800");
  EXPECT_EQ(turns[0].verdict_before, Verdict::better);
}

TEST(SeriesNotes, TakeTheEffectsOfADifferenceMetricAsDifferences) {
  std::vector<double> one, other;
  for (int round = 0; round < 40; ++round) {
    const double wave = 5 * std::sin(round * 0.25);
    one.push_back(round % 2 == 0 ? -3 : 3);
    other.push_back(one.back() + wave);
  }
  auto record = record_of({one, other}, "rise");
  record.design.metrics[MetricId{0}].scale = Scale::difference;
  const auto findings = judge_record(record);
  EXPECT_EQ(std::ranges::count(findings.notes, NoteKind::autocorrelation, &Note::kind), 1)
      << "the logarithms of such values are not numbers";
}

}  // namespace
}  // namespace assay::judge
