#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "assay/judge/aa_checks.hpp"
#include "assay/judge/forecast.hpp"
#include "assay/judge/judge.hpp"
#include "assay/judge/notes.hpp"
#include "assay/report/advice.hpp"
#include "support/records.hpp"

namespace assay::judge {
namespace {
using test::record_of;
using testing::ElementsAre;
using testing::HasSubstr;
using testing::IsEmpty;

Record two_builds(const Provenance& baseline, const Provenance& candidate) {
  auto record = record_of({{1, 1}, {1, 1}});
  record.design.candidates[CandidateId{0}].from = baseline;
  record.design.candidates[CandidateId{1}].from = candidate;
  return record;
}

std::vector<std::string> said(const Record& record) {
  std::vector<std::string> texts;
  for (const auto& note : build_notes(record.design)) {
    const auto [about, text] = report::note_text(record.design, note);
    texts.push_back(about + ": " + text);
  }
  return texts;
}

/// One trial of each cell in a round.
IdTable<CellId, int> one_each(const Record& record) {
  return IdTable<CellId, int>(record.design.cells.size(), 1);
}

IdTable<CellId, double> no_pauses(const Record& record) {
  return IdTable<CellId, double>(record.design.cells.size(), 0.0);
}

TEST(Likeness, NamesUnlikeOptimisation) {
  EXPECT_THAT(
      said(two_builds({.exe_digest = "a", .flags = "-O0 -std=c++20"},
                      {.exe_digest = "b", .flags = "-O2 -std=c++20"})),
      ElementsAre("rival1: is built with -O2, list without optimisation: that alone makes a difference"));
  EXPECT_THAT(said(two_builds({.flags = "-O2"}, {.flags = "-O2 -g"})), IsEmpty())
      << "debug information is no code";
  EXPECT_THAT(said(two_builds({.flags = ""}, {.flags = "-O2"})), IsEmpty()) << "nothing is known of one";
}

TEST(Likeness, TakesOptionsOfTheCandidatesOwnAsMeant) {
  auto record =
      two_builds({.exe_digest = "a", .flags = "-O2"}, {.exe_digest = "b", .flags = "-O3 -march=native"});
  EXPECT_EQ(said(record).size(), 2U);
  record.design.candidates[CandidateId{1}].distinguishing_arguments = {"level=-O3", "tuned=-march=native"};
  EXPECT_THAT(said(record), IsEmpty());
}

TEST(Likeness, NamesOtherOptionsCompilersAndSanitizers) {
  EXPECT_THAT(said(two_builds({.flags = "-O2"}, {.flags = "-O2 -fsanitize=address"})),
              ElementsAre(HasSubstr("is built with -fsanitize=address, which list is not")));
  EXPECT_THAT(said(two_builds({.flags = "-DNDEBUG -O2"}, {.flags = "-O2"})),
              ElementsAre(HasSubstr("is built without -DNDEBUG, which list has")));
  EXPECT_THAT(said(two_builds({.compiler = "GCC 12"}, {.compiler = "clang 14"})),
              ElementsAre(HasSubstr("by another compiler than list: clang 14, not GCC 12")));
}

TEST(BuildNotes, CompareNoInterpreterWithABuild) {
  EXPECT_THAT(said(two_builds({.exe = "./heap", .compiler = "GCC 12"},
                              {.exe = "/root/bin/python3.11", .compiler = "clang 14", .flags = "-O2"})),
              IsEmpty());
  EXPECT_THAT(
      said(two_builds({.exe = "./heap", .compiler = "GCC 12"}, {.exe = "./goal", .compiler = "GCC 13"})),
      ElementsAre(HasSubstr("by another compiler")));
}

TEST(Likeness, NamesTheSameProgramTheSameCommitAndTheSameIdentity) {
  EXPECT_THAT(said(two_builds({.exe = "a", .exe_digest = "d"}, {.exe = "b", .exe_digest = "d"})),
              ElementsAre(HasSubstr("byte for byte; was one of them not built anew?")));
  EXPECT_THAT(said(two_builds({.exe_digest = "d", .commit = "c"}, {.exe_digest = "d", .commit = "c"})),
              ElementsAre(HasSubstr("the same commit as list")));
  const Provenance c{.exe = "${out}/towpath", .exe_digest = "d", .commit = "c"},
      e{.exe = "${out}/towpath", .exe_digest = "d", .commit = "e"};
  EXPECT_THAT(said(two_builds(c, e)), ElementsAre(HasSubstr("the commits differ in nothing that is built")));
  EXPECT_THAT(said(two_builds({.exe = "node", .exe_digest = "d", .commit = "c"},
                              {.exe = "node", .exe_digest = "d", .commit = "e"})),
              IsEmpty())
      << "an interpreter is the same for all commits, its scripts are not";
  EXPECT_THAT(said(two_builds({.exe_digest = "d", .identity = "towpath 1"},
                              {.exe_digest = "e", .identity = "towpath 1"})),
              ElementsAre(HasSubstr("same identity as list")));
  auto pair = two_builds({.exe = "a", .exe_digest = "d"}, {.exe = "a", .exe_digest = "d"});
  EXPECT_EQ(said(pair).size(), 1U);
  pair.design.candidates[CandidateId{1}].distinguishing_arguments = {"cache=on"};
  EXPECT_THAT(said(pair), IsEmpty()) << "a pair of configurations";
}

TEST(Outlooks, TellTimeTwinsAndWhatTheBudgetAllows) {
  auto record = record_of({{1, 1.01, 0.99, 1}, {1, 1, 1.02, 0.98}, {1, 1, 1, 1.01}});
  record.design.rules.rounds_min = 7;
  record.design.rules.rounds_max = 60;
  record.design.candidates[CandidateId{2}].twin_of = CandidateId{0};
  const auto outlook = make_forecast(test::evidence_of(record), Observations::Source::judged, 300,
                                     one_each(record), no_pauses(record));
  EXPECT_EQ(outlook.cells, 3U);
  EXPECT_EQ(outlook.twins, 1U);
  EXPECT_EQ(outlook.comparisons, 1U);
  EXPECT_NEAR(outlook.twin_seconds, outlook.round_seconds / 9, 0.01) << "in every fourth round";
  EXPECT_LT(outlook.rounds, 60);
  ASSERT_EQ(outlook.forecasts.size(), 1U);
  ASSERT_TRUE(outlook.forecasts[0].rounds_to_same.has_value());
  EXPECT_GT(outlook.forecasts[0].rounds_to_same->high, outlook.forecasts[0].rounds_to_same->low);
}

TEST(Outlooks, RoundsOfFewLayoutsTellNoMoreThanSoManyValues) {
  auto record = record_of({{1, 1.01, 0.99, 1}, {1, 1, 1.02, 0.98}});
  const auto typical = [&](int rounds, int layouts) {
    record.design.rules.rounds_max = rounds;
    record.design.rules.layouts = layouts;
    record.design.builds = {{.candidate = CandidateId{1}, .setting = {}, .layouts = layouts}};
    return make_forecast(test::evidence_of(record), Observations::Source::judged, {}, one_each(record),
                         no_pauses(record))
        .forecasts.at(0)
        .change->typical;
  };
  EXPECT_EQ(typical(60, 8), typical(8, 0));
  EXPECT_EQ(typical(8, 60), typical(8, 0));
  EXPECT_LT(typical(60, 0), typical(60, 8));
}

TEST(Outlooks, DependOnTheSizeOfEffectsAndNotOnTheirSign) {
  auto up = record_of({{1, 1, 1, 1}, {1.01, 0.98, 1.03, 1.02}}),
       down = record_of({{1.01, 0.98, 1.03, 1.02}, {1, 1, 1, 1}});
  for (auto* record : {&up, &down}) record->design.rules.rounds_max = 40;
  const auto a = make_forecast(test::evidence_of(up), Observations::Source::judged, {}, one_each(up),
                               no_pauses(up)),
             b = make_forecast(test::evidence_of(down), Observations::Source::judged, {}, one_each(down),
                               no_pauses(down));
  EXPECT_NEAR(a.forecasts[0].change->typical, b.forecasts[0].change->typical, 1e-12);
}

/// Eight rounds in which the candidate is `ratio` times the baseline, a little noisy.
std::vector<double> around(double ratio) {
  std::vector<double> values;
  for (int i = 0; i < 8; ++i) values.push_back(ratio * (1 + 0.0001 * (i % 3)));
  return values;
}

TEST(Surprises, IncludeChangesWithinTheTwinsNoise) {
  auto record = record_of({around(1), around(1.02), around(1.03)});
  EXPECT_THAT(find_surprises(judge_record(record), nullptr), IsEmpty());
  record.design.candidates[CandidateId{2}].twin_of = CandidateId{0};
  const auto odd = find_surprises(judge_record(record), nullptr);
  ASSERT_EQ(odd.size(), 1U);
  EXPECT_THAT(report::surprise_text(odd[0]), HasSubstr("the difference of a baseline from itself"));
}

TEST(Surprises, IncludeContradictionsOfAnEarlierCampaign) {
  const auto now = judge_record(record_of({around(1), around(1.1)}));
  const auto same = judge_record(record_of({around(1), around(1.2)}));
  const auto other = judge_record(record_of({around(1), around(0.9)}));
  EXPECT_THAT(find_surprises(now, &same), IsEmpty());
  ASSERT_EQ(find_surprises(now, &other).size(), 1U);
  EXPECT_THAT(report::surprise_text(find_surprises(now, &other)[0]), HasSubstr("called it better"));
}

TEST(Confirmation, ConfirmsRefutesOrDecides) {
  const auto worse = judge_record(record_of({around(1), around(1.1)})),
             better = judge_record(record_of({around(1), around(0.9)})),
             unclear = judge_record(record_of({around(1), {0.8, 1.2, 0.7, 1.3, 0.9, 1.1, 0.6, 1.4}}));
  using Status = Confirmation::Status;
  EXPECT_EQ(compare_confirmation(worse, worse).at(0).status, Status::confirmed);
  EXPECT_EQ(compare_confirmation(worse, better).at(0).status, Status::refuted);
  EXPECT_EQ(compare_confirmation(unclear, better).at(0).status, Status::decided);
  EXPECT_EQ(compare_confirmation(worse, unclear).at(0).status, Status::unclear);
}

}  // namespace
}  // namespace assay::judge
