#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "assay/judge/judge.hpp"
#include "assay/judge/notes.hpp"
#include "assay/stats/dip.hpp"
#include "assay/stats/multiple_testing.hpp"
#include "assay/stats/random.hpp"
#include "assay/stats/segments.hpp"
#include "support/noise.hpp"
#include "support/records.hpp"

namespace assay::judge {
namespace {
using test::noisy;
using test::record_of;
using testing::ElementsAre;
using testing::HasSubstr;
using testing::IsEmpty;

std::vector<std::string> notes_on(const Record& record) {
  Findings findings = judge_record(record);
  findings.notes.clear();
  add_series_notes(test::evidence_of(record), findings);
  std::vector<std::string> texts;
  for (const auto& note : findings.notes) texts.push_back(report::note_text(findings.design, note).text);
  return texts;
}

/// A record whose warm-up is like its other rounds.
Record steady(const std::vector<std::vector<double>>& values) {
  auto record = record_of(values);
  for (auto& trial : record.log.trials)
    if (trial.role == Role::warm_up)
      trial.readings[0].value = values[static_cast<std::size_t>(trial.cell.value)][0];
  return record;
}

TEST(SeriesNotes, NoneOnSteadyValues) {
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

/// Sessions that run rounds by turns. What runs first in a round takes 4 % longer where the round `back` rounds before ended
/// with heap.
Record carried_over(int back) {
  constexpr int rounds = 120;
  auto record = steady({noisy(1, rounds, 1, 0.001), noisy(1, rounds, 2, 0.001)});
  record.log.sessions.add({});
  stats::Random random(5);
  std::map<int, CellId> last;
  for (auto& round : record.log.rounds) {
    round.session = SessionId{round.number % 2};
    if (random.below(2) == 1) std::swap(round.order[0], round.order[1]);
    last[round.number] = round.order[1];
    for (auto& trial : record.log.trials) {
      if (trial.round != round.number) continue;
      trial.session = round.session;
      trial.position = trial.cell == round.order[0] ? 0 : 1;
      const auto before = last.find(round.number - back);
      if (trial.position == 0 && before != last.end() && before->second == CellId{1})
        trial.readings[0].value *= 1.04;
    }
  }
  return record;
}

TEST(SeriesNotes, WhatRanBeforeIsLookedForInTheSameSession) {
  const auto told = [](const Record& record) {
    const auto notes = notes_on(record);
    return std::ranges::any_of(
        notes, [](const std::string& text) { return text.find("right after") != std::string::npos; });
  };
  EXPECT_TRUE(told(carried_over(2))) << "the same session's round before";
  EXPECT_FALSE(told(carried_over(1))) << "a round of another session";
}

TEST(SeriesNotes, TellTheFirstRun) {
  const auto first = [](double ratio) {
    auto record = steady({noisy(1, 12, 1, 0.001), noisy(1, 12, 2, 0.001)});
    for (auto& trial : record.log.trials)
      if (trial.role == Role::warm_up) trial.readings[0].value = ratio;
    return record;
  };
  EXPECT_THAT(notes_on(first(1.09)), IsEmpty());
  EXPECT_THAT(notes_on(first(1.12)), ElementsAre(HasSubstr("the first run had 12 % more wall time")));
  EXPECT_THAT(notes_on(first(3)),
              ElementsAre(HasSubstr("the first run had 3 times the wall time of later ones")));
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

TEST(SeriesNotes, TellModesWhereTheDipTestDoes) {
  const auto calm = noisy(1, 40, 2);
  const stats::DipTest one_mode(40, 4999);
  int silent = 0, told = 0;
  for (double apart = 0; apart < 0.04; apart += 0.004) {
    auto two = noisy(1, 40, 1, 0.003);
    for (std::size_t i = 0; i < two.size(); i += 2) two[i] *= 1 + apart;
    std::vector<double> p;
    for (const auto& values : {calm, two}) {
      std::vector<double> logs;
      for (const double v : values) logs.push_back(std::log(v));
      p.push_back(one_mode.test(logs).p);
    }
    const bool due = std::ranges::min(stats::adjust_benjamini_hochberg(p)) < 0.01;
    ++(due ? told : silent);
    const auto contains = testing::Contains(HasSubstr("around more than one value"));
    if (due)
      EXPECT_THAT(notes_on(steady({calm, two})), contains) << apart;
    else
      EXPECT_THAT(notes_on(steady({calm, two})), testing::Not(contains)) << apart;
  }
  EXPECT_GT(silent, 1);
  EXPECT_GT(told, 1);
}

TEST(SeriesNotes, TellEffectsThatAreAlikeFromRoundToRound) {
  const auto baseline = noisy(1, 150, 2, 0.0001);
  const auto noise = noisy(1, 150, 1, 0.003);
  // Slow waves on top of noise, as high as makes neighbours so much alike.
  const auto with_correlation = [&](double wanted) {
    std::vector<double> values, effects;
    for (double height = 0; height < 0.1; height += 0.0002) {
      values = noise;
      effects.clear();
      for (std::size_t i = 0; i < values.size(); ++i) {
        values[i] *= 1 + height * std::sin(static_cast<double>(i));
        effects.push_back(std::log(values[i] / baseline[i]));
      }
      if (stats::autocorrelation(effects) >= wanted) break;
    }
    return values;
  };
  const auto alike = testing::Contains(HasSubstr("neighbouring rounds are alike"));
  EXPECT_THAT(notes_on(steady({baseline, with_correlation(0.31)})), alike);
  EXPECT_THAT(notes_on(steady({baseline, with_correlation(0.285)})), testing::Not(alike));
}

TEST(SeriesNotes, TellWhatRunningFirstInARoundDoes) {
  const auto first_is_off = [](double by) {
    auto record = steady({noisy(1, 30, 1, 0.0005), noisy(1, 30, 2, 0.0005)});
    for (auto& trial : record.log.trials) {
      trial.position = static_cast<int>(trial.cell.value + *trial.round) % 2;
      if (trial.position == 0) trial.readings[0].value *= 1 + by;
    }
    return record;
  };
  const auto told = testing::Contains(HasSubstr("what runs first in a round has"));
  EXPECT_THAT(notes_on(first_is_off(0.012)), told);
  EXPECT_THAT(notes_on(first_is_off(0.008)), testing::Not(told)) << "within the margin of 1 %";
}

TEST(SeriesNotes, TellWhatACandidateLeavesBehind) {
  // Three candidates in shuffled rounds; what follows the second takes 3 % longer.
  const auto record_with = [](double carried) {
    stats::Random random(5);
    auto record = steady({noisy(1, 40, 1, 0.004), noisy(2, 40, 2, 0.004), noisy(3, 40, 3, 0.004)});
    std::optional<CellId> before;
    for (auto& round : record.log.rounds) {
      random.shuffle(std::span(round.order));
      for (std::size_t i = 0; i < round.order.size(); ++i) {
        for (auto& trial : record.log.trials)
          if (trial.round == round.number && trial.cell == round.order[i]) {
            trial.position = static_cast<int>(i);
            if (before == CellId{1}) trial.readings[0].value *= 1 + carried;
          }
        before = round.order[i];
      }
    }
    return record;
  };
  EXPECT_THAT(
      notes_on(record_with(0.03)),
      testing::Contains(testing::ContainsRegex("what runs right after it has [23].* % more wall time")));
  EXPECT_THAT(notes_on(record_with(0)), testing::Not(testing::Contains(HasSubstr("right after it"))));
}

TEST(SeriesNotes, OnlySkipTheDipTestWhereItWouldSayNothing) {
  for (const std::size_t n : {20U, 50U, 200U, 400U}) {
    stats::Random random(n);
    const stats::DipTest one_mode(n, 999);
    for (int i = 0; i < 40; ++i) {
      std::vector<double> values(n);
      for (auto& v : values) v = i < 20 ? random.uniform() : random.normal();
      const auto test = one_mode.test(values);
      if (test.statistic * std::sqrt(static_cast<double>(n)) < 0.46) {
        EXPECT_GT(test.p, 0.03) << n;
      }
    }
  }
}

TEST(SeriesNotes, DoNotGrowWithTheNumberOfCells) {
  // Of a hundred steady cells, one or two look odd at 1 % each by chance. Seeded, so the same each time.
  std::vector<std::vector<double>> values;
  for (unsigned i = 0; i < 100; ++i) values.push_back(noisy(1, 30, i + 1, 0.05));
  EXPECT_THAT(notes_on(steady(values)), IsEmpty());
}

TEST(Saturation, DeclaredOnesMakeSameUnclear) {
  auto record = record_of({noisy(399, 20, 1, 0.0005), noisy(399.5, 20, 2, 0.0005)}, "rate");
  record.design.metrics[MetricId{0}].direction = Direction::higher;
  EXPECT_EQ(judge_record(record).findings.at(0).verdict, Verdict::same);
  record.design.metrics[MetricId{0}].request.ceiling = 402.9;
  const auto finding = judge_record(record).findings.at(0);
  EXPECT_EQ(finding.verdict, Verdict::unclear);
  EXPECT_EQ(finding.rounds_to_decide->obstacle, RoundsToDecide::Obstacle::saturation);
  record.design.metrics[MetricId{0}].request.ceiling = 404;
  EXPECT_EQ(judge_record(record).findings.at(0).verdict, Verdict::same) << "more than 1 % away";
}

TEST(Saturation, SuspectedWhereMostValuesLieAtOneEnd) {
  auto at_top = [](std::size_t below) {
    std::vector<double> values(20, 400);
    for (std::size_t i = 0; i < below; ++i) values[i] = 390 - static_cast<double>(i);
    auto record = steady({values, values});
    record.design.metrics[MetricId{0}].direction = Direction::higher;
    record.design.metrics[MetricId{0}].name = "rate";
    return record;
  };
  EXPECT_THAT(notes_on(at_top(9)), testing::Contains(HasSubstr("something may limit them")));
  const auto limited = judge_record(at_top(9)).findings.at(0);
  EXPECT_EQ(limited.verdict, Verdict::unclear);
  EXPECT_EQ(limited.rounds_to_decide->obstacle, RoundsToDecide::Obstacle::saturation_suspected);
  EXPECT_EQ(judge_record(at_top(10)).findings.at(0).verdict, Verdict::same);
  EXPECT_THAT(notes_on(at_top(10)), testing::Not(testing::Contains(HasSubstr("something may limit them"))));
}

}  // namespace
}  // namespace assay::judge
