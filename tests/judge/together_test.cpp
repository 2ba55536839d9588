#include "assay/judge/together.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "assay/judge/findings.hpp"
#include "assay/judge/gate.hpp"
#include "assay/judge/keep_only.hpp"
#include "assay/judge/trust.hpp"
#include "assay/stats/random.hpp"
#include "support/noise.hpp"
#include "support/records.hpp"

namespace assay::judge {
namespace {
using test::noisy;
using test::record_of;
using testing::ElementsAre;
using testing::HasSubstr;
using testing::IsEmpty;

/// Turns candidates 1, 2, … of a record into one candidate on several workloads; 0 stays the baseline of
/// each.
Record over_workloads(const std::vector<std::pair<std::vector<double>, std::vector<double>>>& pairs) {
  std::vector<std::vector<double>> values;
  for (const auto& [baseline, candidate] : pairs) {
    values.push_back(baseline);
    values.push_back(candidate);
  }
  auto record = record_of(values);
  record.info.rounds_min = 7;
  record.info.rounds_max = 20;
  record.candidates.resize(2);
  record.workloads.clear();
  record.contrasts.clear();
  for (std::size_t w = 0; w < pairs.size(); ++w) {
    record.workloads.push_back({"w" + std::to_string(w), {}, {}});
    for (const std::int64_t c : {0, 1})
      record.cells[2 * w + static_cast<std::size_t>(c)] = {.candidate = {c},
                                                           .workload = {static_cast<std::int64_t>(w)}};
    record.contrasts.push_back({{static_cast<std::int64_t>(2 * w)}, {static_cast<std::int64_t>(2 * w + 1)}});
  }
  return record;
}

TEST(Overall, IsTheMeanLogRatioOverWorkloads) {
  const auto record =
      over_workloads({{noisy(1, 20, 1), noisy(1.2, 20, 2)}, {noisy(5, 20, 3), noisy(5 * 1.1, 20, 4)}});
  const auto overall = judge_overall(record, judge_record(record));
  ASSERT_EQ(overall.size(), 1U);
  EXPECT_EQ(overall[0].cells, 2U);
  EXPECT_TRUE(overall[0].agree);
  EXPECT_NEAR(overall[0].finding.effect, std::sqrt(1.2 * 1.1), 0.01);
  EXPECT_EQ(overall[0].finding.verdict, Verdict::worse);
  EXPECT_TRUE(overall[0].finding.interval.contains(std::sqrt(1.2 * 1.1)));
}

TEST(Overall, SaysWhenWorkloadsDisagree) {
  const auto record =
      over_workloads({{noisy(1, 20, 1), noisy(1.2, 20, 2)}, {noisy(5, 20, 3), noisy(4, 20, 4)}});
  EXPECT_FALSE(judge_overall(record, judge_record(record)).at(0).agree);
}

TEST(Groups, HoldWhatCantBeToldApartAndOverlap) {
  auto record = record_of({noisy(1, 20, 1), noisy(1, 20, 2), noisy(1.5, 20, 3), noisy(1.5, 20, 4)});
  record.info.rounds_min = 7;
  record.info.rounds_max = 20;
  const auto groups = find_groups(record, judge_record(record));
  ASSERT_EQ(groups.size(), 2U);
  EXPECT_THAT(groups[0].members, ElementsAre(CandidateId{0}, CandidateId{1}));
  EXPECT_THAT(groups[1].members, ElementsAre(CandidateId{2}, CandidateId{3}));
}

TEST(Turns, AreFoundWhereTheWinnerChanges) {
  auto record = over_workloads({{noisy(1, 20, 1), noisy(1.3, 20, 2)},
                                {noisy(1, 20, 3), noisy(1.2, 20, 4)},
                                {noisy(1, 20, 5), noisy(0.5, 20, 6)}});
  record.workloads.resize(1);
  record.factors = {{.name = "locks", .levels = {}, .role = Factor::Role::size}};
  const std::int64_t sizes[] = {200, 800, 3200};
  for (std::size_t i = 0; i < record.cells.size(); ++i) {
    record.cells[i].workload = {0};
    record.cells[i].setting.levels["locks"] = sizes[i / 2];
  }
  const auto turns = judge_record(record).turns;
  ASSERT_EQ(turns.size(), 1U);
  EXPECT_EQ(to_string(turns[0].last), "800");
  EXPECT_EQ(to_string(turns[0].first), "3200");
  EXPECT_EQ(turns[0].before, Verdict::worse);
  EXPECT_EQ(turns[0].after, Verdict::better);
}

TEST(Failures, AreComparedByFishersExactTest) {
  auto record = record_of({noisy(1, 20, 1), noisy(1, 20, 2)});
  int failed = 0;
  for (auto& trial : record.trials)
    if (trial.cell == CellId{1} && trial.role == Role::counted && failed++ < 8)
      trial.outcome = Outcome::failed;
  const auto failures = judge_failures(record);
  ASSERT_EQ(failures.size(), 1U);
  // R 4.2: fisher.test(matrix(c(0, 20, 8, 12), 2))$p.value
  EXPECT_NEAR(failures[0].p, 0.003276, 5e-6);
  EXPECT_EQ(failures[0].verdict, Verdict::worse);
}

TEST(Spread, IsCalledWhenACandidateJitters) {
  auto record = record_of({noisy(1, 40, 1, 0.01), noisy(1, 40, 2, 0.08)});
  record.info.rounds_min = 7;
  record.info.rounds_max = 40;
  const auto spreads = judge_spreads(record);
  ASSERT_EQ(spreads.size(), 1U);
  EXPECT_GT(spreads[0].ratio, 3);
  EXPECT_EQ(spreads[0].verdict, Verdict::worse);
}

TEST(Spread, IsSeldomCalledWhereThereIsNone) {
  // Seeded, so the same each time. At most 5 % of 400 campaigns may be called.
  for (const std::size_t rounds : {10U, 20U}) {
    int called = 0;
    for (unsigned seed = 0; seed < 400; ++seed) {
      auto record = record_of({noisy(1, rounds, 2 * seed + 1), noisy(1, rounds, 2 * seed + 2)});
      record.info.rounds_min = 7;
      record.info.rounds_max = static_cast<int>(rounds);
      called += judge_spreads(record).empty() ? 0 : 1;
    }
    EXPECT_LT(called, 20) << "of 400, " << rounds << " rounds";
  }
}

std::vector<std::string> notes_on(const Record& record) {
  Findings findings = judge_record(record);
  findings.trust.clear();
  add_series_notes(record, findings);
  std::vector<std::string> texts;
  for (const auto& note : findings.trust) texts.push_back(note.text);
  return texts;
}

/// A record whose warm-up is like its other rounds.
Record steady(const std::vector<std::vector<double>>& values) {
  auto record = record_of(values);
  for (auto& trial : record.trials)
    if (trial.role == Role::first) trial.readings[0].value = values[trial.cell.place()][0];
  return record;
}

TEST(SeriesNotes, AreSilentOnSteadyValues) {
  EXPECT_THAT(notes_on(steady({noisy(1, 30, 1), noisy(1, 30, 2)})), IsEmpty());
}

TEST(SeriesNotes, TellADriftBeyondTheThreshold) {
  const auto drifting = [](double in_all) {
    auto one = noisy(1, 30, 1, 0.001), other = noisy(1, 30, 2, 0.001);
    for (std::size_t i = 0; i < one.size(); ++i) {
      const double factor = 1 + in_all * static_cast<double>(i) / 29;
      one[i] *= factor;
      other[i] *= factor;
    }
    return steady({one, other});
  };
  EXPECT_THAT(notes_on(drifting(0.045)), IsEmpty());
  EXPECT_THAT(notes_on(drifting(0.06)), ElementsAre(HasSubstr("rose by 6")));
}

TEST(SeriesNotes, TellTheFirstRun) {
  const auto first = [](double ratio) {
    auto record = steady({noisy(1, 12, 1, 0.001), noisy(1, 12, 2, 0.001)});
    for (auto& trial : record.trials)
      if (trial.role == Role::first) trial.readings[0].value = ratio;
    return record;
  };
  EXPECT_THAT(notes_on(first(1.09)), IsEmpty());
  EXPECT_THAT(notes_on(first(1.12)), ElementsAre(HasSubstr("the first run had 12 % more wall time")));
}

TEST(SeriesNotes, TellShortTrials) {
  EXPECT_THAT(notes_on(steady({noisy(0.0052, 12, 1), noisy(0.0052, 12, 2)})), IsEmpty());
  EXPECT_THAT(notes_on(steady({noisy(0.0048, 12, 1), noisy(0.0052, 12, 2)})),
              ElementsAre(HasSubstr("starting a program")));
}

TEST(SeriesNotes, TellOutliersAndModes) {
  auto values = noisy(1, 30, 1, 0.005);
  values[3] = 3;
  EXPECT_THAT(notes_on(steady({values, noisy(1, 30, 2)})), IsEmpty()) << "one of thirty";
  values[17] = 2.5;
  EXPECT_THAT(notes_on(steady({values, noisy(1, 30, 2)})), ElementsAre(HasSubstr("far out")));
  auto two = noisy(1, 40, 1, 0.005);
  for (std::size_t i = 0; i < two.size(); i += 2) two[i] *= 1.3;
  EXPECT_THAT(notes_on(steady({two, noisy(1, 40, 2)})),
              testing::Contains(HasSubstr("around more than one value")));
}

TEST(SeriesNotes, TellEffectsThatAreAlikeFromRoundToRound) {
  auto values = noisy(1, 40, 1, 0.001);
  for (std::size_t i = 0; i < values.size(); ++i)
    values[i] *= 1 + 0.01 * std::sin(static_cast<double>(i) / 4);
  EXPECT_THAT(notes_on(steady({noisy(1, 40, 2, 0.001), values})),
              testing::Contains(HasSubstr("neighbouring rounds are alike")));
}

TEST(Ceilings, DeclaredOnesMakeSameUnclear) {
  auto record = record_of({noisy(399, 20, 1, 0.0005), noisy(399.5, 20, 2, 0.0005)}, "rate");
  record.metrics[0].prefer = Prefer::higher;
  EXPECT_EQ(judge_record(record).findings.at(0).verdict, Verdict::same);
  record.demands[0].ceiling = 400;
  const auto finding = judge_record(record).findings.at(0);
  EXPECT_EQ(finding.verdict, Verdict::unclear);
  EXPECT_THAT(finding.to_settle->why, HasSubstr("at the limit of 400"));
  record.demands[0].ceiling = 410;
  EXPECT_EQ(judge_record(record).findings.at(0).verdict, Verdict::same) << "more than 1 % away";
}

TEST(Ceilings, AreSuspectedWhereMostValuesLieAtOneEnd) {
  auto at_top = [](std::size_t below) {
    std::vector<double> values(20, 400);
    for (std::size_t i = 0; i < below; ++i) values[i] = 390 - static_cast<double>(i);
    auto record = steady({values, values});
    record.metrics[0].prefer = Prefer::higher;
    record.metrics[0].name = "rate";
    return record;
  };
  EXPECT_THAT(notes_on(at_top(9)), testing::Contains(HasSubstr("something may limit them")));
  EXPECT_THAT(notes_on(at_top(10)), testing::Not(testing::Contains(HasSubstr("something may limit them"))));
}

TEST(Gate, PassesFailsOrIsUndecided) {
  const auto status = [](double ratio, double noise, const Gate& gate) {
    const auto record = record_of({noisy(1, 20, 1, noise), noisy(ratio, 20, 2, noise)});
    return hold_against(judge_record(record), gate);
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

TEST(Gate, CountsStandingsAndRequirements) {
  auto record = record_of({noisy(1, 20, 1), noisy(1, 20, 2), noisy(1, 20, 3)});
  record.cells[2].standing = Standing::wrong;
  record.cells[2].detail = "line 1";
  const auto wrong = hold_against(judge_record(record), {});
  EXPECT_EQ(wrong.status, GateStatus::failed);
  EXPECT_THAT(wrong.reasons.front().text, HasSubstr("its answer is wrong: line 1"));
  record.cells[2].standing = Standing::absent;
  record.demands[0].require = parse_requirement("< 500 ms");
  const auto broken = hold_against(judge_record(record), {});
  EXPECT_EQ(broken.status, GateStatus::failed);
  EXPECT_THAT(broken.reasons.front().text, HasSubstr("required < 500 ms, is broken"));
}

TEST(Gate, HoldsOnlyWhatIsChosen) {
  const auto record = record_of({noisy(1, 20, 1), noisy(1, 20, 2), noisy(1.5, 20, 3)});
  auto all = judge_record(record);
  EXPECT_EQ(hold_against(all, {}).status, GateStatus::failed);
  const auto only = parse_only("candidate=rival1");
  keep_only(all, only);
  const auto result = hold_against(all, {}, only);
  EXPECT_EQ(result.status, GateStatus::passed) << result.reasons.front().about;
  EXPECT_EQ(result.reasons.size(), 1U);
}

}  // namespace
}  // namespace assay::judge
