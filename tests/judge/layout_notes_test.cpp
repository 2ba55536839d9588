#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <map>
#include <string>
#include <utility>
#include <vector>

#include "assay/judge/judge.hpp"
#include "assay/judge/notes.hpp"
#include "assay/judge/paired_series.hpp"
#include "assay/schedule/interim_looks.hpp"
#include "assay/stats/random.hpp"
#include "support/records.hpp"
#include "support/series.hpp"

namespace assay::judge {
namespace {

using test::family;
using test::series_of;
using testing::DoubleNear;
using testing::ElementsAre;

TEST(Layouts, ARoundTakesTheNextOneAndBeginsAgain) {
  EXPECT_EQ(layout_of_round(1, 3), 0);
  EXPECT_EQ(layout_of_round(3, 3), 2);
  EXPECT_EQ(layout_of_round(4, 3), 0);
  EXPECT_EQ(layout_of_round(4, 0), 0);
}

TEST(Layouts, BelongToTheBuildOfEachCell) {
  Design design;
  design.rules.layouts = 9;
  for (const char* name : {"old", "new"}) design.candidates.add({.name = name});
  const auto cell = [&](int candidate, std::map<std::string, Level> levels) {
    return design.cells.add({CandidateId{candidate}, WorkloadId{0}, {std::move(levels)}});
  };
  const Comparison small{cell(0, {{"locks", std::int64_t{1}}}), cell(1, {{"locks", std::int64_t{1}}})};
  const Comparison large{cell(0, {{"locks", std::int64_t{2}}}), cell(1, {{"locks", std::int64_t{2}}})};
  const Comparison part{cell(0, {{"function", std::string("f")}}), cell(1, {{"function", std::string("f")}})};
  EXPECT_EQ(layouts_of(design, small), 0) << "nothing is built here";
  design.builds = {{.candidate = CandidateId{1}, .setting = "locks=1"},
                   {.candidate = CandidateId{1}, .setting = "locks=2", .layouts = 9}};
  EXPECT_EQ(layouts_of(design, small), 0);
  EXPECT_EQ(layouts_of(design, large), 9);
  EXPECT_EQ(layouts_of(design, part), 9) << "no build is for this function alone";
}

TEST(Layouts, MeansAreOfTheRoundsThatShareOne) {
  PairedSeries series{
      .comparison = {{0}, {1}}, .rounds = {2, 3, 4, 5}, .baseline = {1, 2, 4, 8}, .candidate = {2, 2, 8, 2}};
  series.replication.layouts = 2;
  // Rounds 3 and 5 have layout 0, rounds 2 and 4 layout 1.
  const auto [baseline, candidate] = layout_means(series, 4, Scale::ratio);
  EXPECT_THAT(baseline, ElementsAre(DoubleNear(4, 1e-12), DoubleNear(2, 1e-12)));
  EXPECT_THAT(candidate, ElementsAre(DoubleNear(2, 1e-12), DoubleNear(4, 1e-12)));
  EXPECT_THAT(layout_means(series, 3, Scale::difference).first, ElementsAre(2, 2.5));
  EXPECT_EQ(Replication{.layouts = 2}.independent_values(4), 2);
  EXPECT_EQ(Replication{.layouts = 8}.independent_values(4), 4);
}

TEST(Layouts, ManyRoundsOfFewLayoutsAreJudgedAsSoManyValues) {
  // 24 of 8 layouts: as 8 rounds without, at the same look.
  EXPECT_EQ(schedule::null_distribution(24, {.layouts = 8}).critical_count(0.05),
            schedule::null_distribution(8).critical_count(0.05));
  EXPECT_EQ(schedule::null_distribution(8, {.layouts = 24}).critical_count(0.05),
            schedule::null_distribution(8).critical_count(0.05));
}

/// Differences of rounds whose layouts have a luck of their own.
std::vector<double> with_luck(stats::Random& random, int layouts, int rounds, double effect) {
  std::vector<double> luck, effects;
  for (int i = 0; i < layouts; ++i) luck.push_back(2 * random.normal());
  for (int i = 0; i < rounds; ++i)
    effects.push_back(effect + luck[static_cast<std::size_t>(layout_of_round(i + 2, layouts))] +
                      0.5 * random.normal());
  return effects;
}

TEST(Layouts, LuckThatRoundsShareIsNotCalledAChange) {
  constexpr int campaigns = 400, layouts = 8, rounds = 40;
  int called = 0, called_singly = 0, found = 0;
  for (std::uint64_t i = 0; i < campaigns; ++i) {
    stats::Random random(17, i);
    auto luck_alone = series_of(with_luck(random, layouts, rounds, 0));
    called_singly +=
        decide_family(std::vector{luck_alone}, family(0.01, rounds), Stage::ended)[0].decided ? 1 : 0;
    luck_alone.replication.layouts = layouts;
    const auto judged = decide_family(std::vector{luck_alone}, family(0.01, rounds), Stage::ended)[0];
    called += judged.decided ? 1 : 0;
    if (!judged.decided) {
      EXPECT_EQ(judged.rounds, static_cast<std::size_t>(rounds));
    }
    auto changed = series_of(with_luck(random, layouts, rounds, 6));
    changed.replication.layouts = layouts;
    found +=
        decide_family(std::vector{changed}, family(0.01, rounds), Stage::ended)[0].verdict == Verdict::worse
            ? 1
            : 0;
  }
  // At 5 % of 400 more than 46 have a chance below 1e-6.
  EXPECT_LE(called, 46);
  EXPECT_GT(called_singly, 60) << "rounds taken singly claim what is luck";
  EXPECT_GT(found, 360);
}

TEST(Layouts, ALookWithALayoutLeftOutDecidesNothing) {
  auto series = series_of(std::vector<double>(14, 5));
  for (auto& value : series.candidate) value += 1e-3 * static_cast<double>(&value - series.candidate.data());
  series.replication.layouts = 7;
  EXPECT_TRUE(decide_family(std::vector{series}, family(0.01, 14), Stage::ended)[0].decided);
  for (auto& round : series.rounds) round = 2 * round;  // 7 is odd: all layouts still come up
  EXPECT_TRUE(decide_family(std::vector{series}, family(0.01, 14), Stage::ended)[0].decided);
  series.replication.layouts = 8;  // and here half of them never do
  EXPECT_FALSE(decide_family(std::vector{series}, family(0.01, 14), Stage::ended)[0].decided);
}

/// Twelve rounds of two builds on CPU time, whose layouts move them alike; the second is `ratio` times the
/// first.
Record builds_of(int layouts, double ratio) {
  std::vector<double> before, after;
  for (int i = 0; i < 12; ++i) {
    const double luck = 1 + 0.02 * ((i * 5) % 7 - 3);
    before.push_back(luck);
    after.push_back(luck * ratio * (1 + 0.0001 * (i % 3)));
  }
  auto record = test::record_of({before, after}, "cpu time");
  auto& design = record.design;
  design.rules.layouts = layouts;
  for (const auto id : design.candidates.ids()) {
    design.candidates[id].from.exe_digest = std::to_string(id.value);
    design.builds.push_back(
        {.candidate = id,
         .setting = {},
         .layouts = layouts,
         .layout_method = layouts > 0 ? layout_common : "linking it again does not give the same bytes"});
  }
  return record;
}

std::vector<std::string> told_of(const Record& record) {
  std::vector<std::string> texts;
  for (const auto& note : judge_record(record).notes)
    if (to_string(note.kind).starts_with("layout")) texts.push_back(to_string(note.kind));
  return texts;
}

TEST(LayoutNotes, AppearBesideFindingsBetweenBuilds) {
  const auto findings = judge_record(builds_of(12, 1.3));
  const auto spread = std::ranges::find(findings.notes, NoteKind::layout_spread_at_most, &Note::kind);
  ASSERT_NE(spread, findings.notes.end());
  EXPECT_NEAR(*spread->value, 0.05, 0.03);
  EXPECT_NEAR(spread->low, 0.3, 1e-3);
  ASSERT_TRUE(spread->threshold) << "a change was called";
  EXPECT_LT(*spread->threshold, 0.3) << "which is more than one build of each would show by chance";
  EXPECT_THAT(told_of(builds_of(12, 1.02)), ElementsAre("layout spread at most"));
  EXPECT_THAT(told_of(builds_of(8, 1.02)), ElementsAre("layout spread at most", "layouts repeat"));
  EXPECT_THAT(told_of(builds_of(0, 1.02)), ElementsAre("layout kept", "layout kept", "layout alone"));
  EXPECT_THAT(told_of(builds_of(0, 1.3)), ElementsAre("layout kept", "layout kept"))
      << "no layout does as much";
}

TEST(Layouts, TheirSpreadDiffersFromNoise) {
  stats::Random random(5);
  std::vector<double> logs, twins;
  for (int i = 0; i < 400; ++i) {
    logs.push_back(0.0001 * i + 0.02 * random.normal() + 0.01 * random.normal());
    twins.push_back(0.01 * random.normal() - 0.01 * random.normal());
  }
  const auto alone = layout_spread(logs, twins);
  ASSERT_TRUE(alone);
  EXPECT_NEAR(alone->sd, 0.02, 0.003) << "a slow drift is no layout's";
  EXPECT_FALSE(alone->is_bound);
  const auto bound = layout_spread(logs, {});
  EXPECT_TRUE(bound->is_bound);
  EXPECT_NEAR(bound->sd, std::hypot(0.02, 0.01), 0.003);
  EXPECT_EQ(layout_spread(twins, logs)->sd, 0) << "never below nothing";
  EXPECT_FALSE(layout_spread({1, 2, 3}, {}));
}

/// Luck of two values: 10 % in a share of the layouts. What two of them differ by was declared too much for
/// chance in 33 % before, and a change of 3 % in 88 %. Of 300 programs with 24 layouts each.
TEST(LayoutNotes, ChanceBoundHoldsForTwoValues) {
  for (const double share : {0.125, 0.25}) {
    stats::Random random(51);
    int beyond = 0, small_called = 0;
    for (int program = 0; program < 300; ++program) {
      const auto layout = [&] {
        return (random.uniform() < share ? std::log(1.1) : 0) + 0.003 * random.normal();
      };
      std::vector<double> logs;
      for (int i = 0; i < 24; ++i) logs.push_back(layout());
      const auto spread = layout_spread(logs, {});
      ASSERT_TRUE(spread);
      beyond += std::abs(layout() - layout()) > spread->by_chance ? 1 : 0;
      small_called += spread->by_chance < std::log(1.03) ? 1 : 0;
    }
    EXPECT_LE(beyond, 37) << "15 expected at most; more than 37 with a chance below 1e-6";
    EXPECT_LE(small_called, 37) << share;
  }
}

}  // namespace
}  // namespace assay::judge
