#include <gtest/gtest.h>

#include "assay/judge/aggregates.hpp"
#include "assay/judge/judge.hpp"
#include "assay/judge/latencies.hpp"
#include "assay/stats/random.hpp"
#include "support/made.hpp"
#include "support/noise.hpp"
#include "support/records.hpp"

namespace assay::judge {
namespace {

using test::Made;

const ProfileLine* line_on(const Findings& all, MetricId metric) {
  for (const auto& line : all.profile)
    if (line.metric == metric) return &line;
  return nullptr;
}

TEST(Profile, ListsEveryMetricWithItsEffect) {
  Made made("profile");
  const auto time = made.wall_time();
  const auto faults = made.metric({.name = "minor faults", .supporting = true}, false);
  const auto user = made.metric({.name = "user time", .unit = "s", .resolution_limit = 1}, false);
  const auto nothing = made.metric({.name = "major faults"}, false);
  const auto load = made.metric(
      {.name = "load", .direction = Direction::neither, .subject = MetricSubject::machine}, false);
  const auto list = made.cell(made.candidate("list")), heap = made.cell(made.candidate("heap"));
  for (const auto cell : {list, heap}) {
    made.around(cell, time, cell == list ? 0.1 : 0.2, 10);
    made.around(cell, faults, 500, 10);
    made.around(cell, user, cell == list ? 0.08 : 0.12, 10);
    made.values(cell, nothing, std::vector<double>(10, 0));
    made.values(cell, load, std::vector<double>(10, 1));
  }
  const auto all = judge_record(made.record());
  ASSERT_NE(line_on(all, time), nullptr);
  EXPECT_EQ(line_on(all, time)->effect, all.findings.front().effect);
  EXPECT_TRUE(line_on(all, time)->is_significant);
  ASSERT_NE(line_on(all, user), nullptr) << "too coarse to be judged, shown all the same";
  EXPECT_NEAR(line_on(all, user)->effect.value, 1.5, 0.02);
  EXPECT_FALSE(line_on(all, user)->is_significant);
  ASSERT_NE(line_on(all, faults), nullptr);
  EXPECT_FALSE(line_on(all, faults)->is_significant);
  EXPECT_EQ(line_on(all, nothing), nullptr) << "0 on both sides says nothing";
  EXPECT_EQ(line_on(all, load), nullptr) << "is about the machine";
}

TEST(Profile, TellsAChangeWithoutABetterSideOnlyWhereTheTestCallsIt) {
  for (const auto& [centre, rounds, told] : {std::tuple{1.8, std::size_t{12}, true},
                                             {1.02, std::size_t{12}, false},
                                             {1.8, std::size_t{4}, false}}) {
    Made made("cores");
    const auto cores = made.metric({.name = "cores used", .direction = Direction::neither}, false);
    made.around(made.cell(made.candidate("list")), cores, 1, rounds);
    made.around(made.cell(made.candidate("heap")), cores, centre, rounds);
    const auto all = judge_record(made.record());
    ASSERT_NE(line_on(all, cores), nullptr);
    EXPECT_EQ(line_on(all, cores)->is_significant, told) << centre << ", " << rounds << " rounds";
  }
}

TEST(ProfileSimulated, NoiseAloneIsSeldomReported) {
  // 400 metrics of one and the same, spread by 20 %. At a true rate of 5 %, more than 44 told have a chance
  // below 1e-6 (binomial); the seeds are fixed.
  int told = 0;
  for (unsigned i = 0; i < 400; ++i) {
    Made made("cores");
    const auto cores = made.metric({.name = "cores used", .direction = Direction::neither}, false);
    made.values(made.cell(made.candidate("list")), cores, test::noisy(2, 12, 2 * i, 0.2));
    made.values(made.cell(made.candidate("heap")), cores, test::noisy(2, 12, 2 * i + 1, 0.2));
    const auto all = judge_record(made.record());
    ASSERT_NE(line_on(all, cores), nullptr);
    told += line_on(all, cores)->is_significant ? 1 : 0;
  }
  EXPECT_LE(told, 44);
}

TEST(Profile, ShowsADifferenceWhereARatioCantBeMade) {
  Made made("switches");
  const auto switches = made.metric({.name = "major faults", .supporting = true}, false);
  made.values(made.cell(made.candidate("list")), switches, std::vector<double>(8, 0));
  made.values(made.cell(made.candidate("heap")), switches, std::vector<double>(8, 7));
  const auto all = judge_record(made.record());
  ASSERT_EQ(all.profile.size(), 1U);
  EXPECT_EQ(all.profile[0].effect, (Effect{Scale::difference, 7}));
}

Findings with_ceiling(double old_rate, double new_rate) {
  Made made("frames");
  Metric frames{.name = "frame rate", .direction = Direction::higher};
  frames.request.ceiling = 60;
  const auto id = made.metric(frames);
  made.around(made.cell(made.candidate("old")), id, old_rate, 12, 0.0005);
  made.around(made.cell(made.candidate("new")), id, new_rate, 12, 0.0005);
  return judge_record(made.record());
}

std::size_t notes_of_kind(const std::vector<Note>& notes, NoteKind kind) {
  return static_cast<std::size_t>(std::ranges::count(notes, kind, &Note::kind));
}

TEST(Saturation, OneSideAtItKeepsItsVerdictAndReportsThatTheChangeMayBeLarger) {
  const auto all = with_ceiling(50, 60);
  EXPECT_EQ(all.findings[0].verdict, Verdict::better);
  ASSERT_EQ(notes_of_kind(all.findings[0].notes, NoteKind::at_saturation), 1U);
  EXPECT_EQ(all.findings[0].notes[0].subject, Subject(CellId{1}));
}

TEST(Saturation, BothSidesAtItCanHideAnyDifference) {
  const auto all = with_ceiling(60, 60);
  EXPECT_EQ(all.findings[0].verdict, Verdict::unclear);
  EXPECT_EQ(all.findings[0].rounds_to_decide->obstacle, RoundsToDecide::Obstacle::saturation);
}

TEST(Saturation, ValuesBeyondItAreAWarningOnce) {
  const auto all = with_ceiling(50, 75);
  ASSERT_EQ(notes_of_kind(all.notes, NoteKind::beyond_saturation), 1U);
  EXPECT_EQ(notes_of_kind(with_ceiling(50, 60).notes, NoteKind::beyond_saturation), 0U);
}

/// Trials of 40 values over ten seconds that begin at `from` and go on at `to`.
Findings with_series(double from, double to, const std::string& lead_in, bool timed = true) {
  Made made("frames");
  Metric frames{.name = "frame rate", .direction = Direction::higher};
  if (!lead_in.empty()) frames.request.lead_in = parse_lead_in(lead_in);
  const auto id = made.metric(frames);
  for (const char* name : {"old", "new"}) {
    const auto cell = made.cell(made.candidate(name));
    std::vector<Point> points;
    for (int i = 0; i < 40; ++i) {
      const double at = 0.25 * i;
      points.push_back({.value = at < 2 ? from : to + (i % 4)});
      if (timed) points.back().at = at;
    }
    made.around(cell, id, to, 10);
    made.series(cell, id, points);
  }
  return judge_record(made.record());
}

TEST(WithinTrials, TellsTheRangeWithoutTheLeadIn) {
  const auto all = with_series(38, 30, "2 s");
  ASSERT_EQ(all.within_trials.size(), 2U);
  EXPECT_EQ(all.within_trials[0].low, 30);
  EXPECT_EQ(all.within_trials[0].high, 33);
  EXPECT_GT(with_series(38, 30, "").within_trials[0].high, 37);
}

TEST(WithinTrials, ReportsWhenTheFirstValuesDifferAndWhatWouldLeaveThemOut) {
  const auto first_note = [](const Findings& all) {
    const auto found = std::ranges::find(all.notes, NoteKind::drifts_in_trial, &Note::kind);
    return found == all.notes.end() ? std::string("none") : found->quoted;
  };
  EXPECT_EQ(first_note(with_series(38, 30, "")), "\"2 s\"");
  EXPECT_EQ(first_note(with_series(38, 30, "", false)), "8");
  EXPECT_EQ(first_note(with_series(38, 30, "2 s")), "none") << "it is left out already";
  EXPECT_EQ(first_note(with_series(31, 30, "")), "none") << "no difference worth a word";
}

TEST(WithinTrialsSimulated, NoiseAloneSeldomLooksLikeALeadIn) {
  // 300 campaigns of two cells whose series wander (each value leans on the last) and differ from trial to
  // trial, and have no lead-in. At a true rate of 5 % for each cell, more than 58 notes have a chance below
  // 1e-6 (binomial); the seeds are fixed.
  int notes = 0;
  for (unsigned i = 0; i < 300; ++i) {
    Made made("frames");
    const auto id = made.metric({.name = "frame rate", .direction = Direction::higher});
    for (const char* name : {"old", "new"})
      made.values(made.cell(made.candidate(name)), id, test::noisy(30, 10, i));
    auto record = made.record();
    stats::Random random(i);
    for (auto& trial : record.log.trials) {
      double wander = random.normal();
      const double around = 30 * std::exp(0.1 * random.normal());
      for (int k = 0; k < 40; ++k) {
        wander = 0.8 * wander + 0.6 * random.normal();
        trial.series.push_back({id, 0.25 * k, around * std::exp(0.2 * wander)});
      }
    }
    const auto all = judge_record(record);
    notes += static_cast<int>(std::ranges::count(all.notes, NoteKind::drifts_in_trial, &Note::kind));
  }
  EXPECT_LE(notes, 58);
}

TEST(WithinTrials, NothingForOneValueATrial) {
  Made made("plain");
  const auto time = made.wall_time();
  for (const char* name : {"list", "heap"}) made.around(made.cell(made.candidate(name)), time, 1, 8);
  EXPECT_TRUE(judge_record(made.record()).within_trials.empty());
}

}  // namespace
}  // namespace assay::judge
