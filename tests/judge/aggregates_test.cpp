#include "assay/judge/aggregates.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <random>

#include "assay/judge/judge.hpp"
#include "assay/stats/random.hpp"
#include "support/noise.hpp"
#include "support/records.hpp"

namespace assay::judge {
namespace {
using test::noisy;
using test::record_of;
using testing::ElementsAre;
using testing::HasSubstr;

/// Turns candidates 1, 2, … of a record into one candidate on several workloads; 0 stays the baseline of
/// each.
Record over_workloads(const std::vector<std::pair<std::vector<double>, std::vector<double>>>& pairs) {
  std::vector<std::vector<double>> values;
  for (const auto& [baseline, candidate] : pairs) {
    values.push_back(baseline);
    values.push_back(candidate);
  }
  auto record = record_of(values);
  record.design.rules.rounds_min = 7;
  record.design.rules.rounds_max = 20;
  record.design.candidates = test::first_of(record.design.candidates, 2);
  record.design.workloads = {};
  record.design.comparisons.clear();
  for (std::size_t w = 0; w < pairs.size(); ++w) {
    record.design.workloads.add({.name = "w" + std::to_string(w)});
    for (const std::int64_t c : {0, 1})
      record.design.cells[CellId{static_cast<std::int64_t>(2 * w) + c}] = {
          .candidate = {c}, .workload = {static_cast<std::int64_t>(w)}};
    record.design.comparisons.push_back(
        {{static_cast<std::int64_t>(2 * w)}, {static_cast<std::int64_t>(2 * w + 1)}});
  }
  return record;
}

TEST(Overall, EqualsTheMeanLogRatio) {
  const auto record =
      over_workloads({{noisy(1, 20, 1), noisy(1.2, 20, 2)}, {noisy(5, 20, 3), noisy(5 * 1.1, 20, 4)}});
  const auto overall = judge_overall(test::evidence_of(record), judge_record(record));
  ASSERT_EQ(overall.size(), 1U);
  EXPECT_EQ(overall[0].cells, 2U);
  EXPECT_TRUE(overall[0].agree);
  EXPECT_NEAR(overall[0].finding.effect.value, std::sqrt(1.2 * 1.1), 0.01);
  EXPECT_EQ(overall[0].finding.verdict, Verdict::worse);
  EXPECT_TRUE(overall[0].finding.interval.contains(std::sqrt(1.2 * 1.1)));
}

TEST(Overall, UsesAllRoundsOfEachComparisonAndReportsWhichLieApart) {
  std::vector<std::pair<std::vector<double>, std::vector<double>>> pairs;
  for (unsigned w = 0; w < 6; ++w)
    pairs.emplace_back(noisy(1, 20, 10 + w), noisy(w == 5 ? 1.5 : 1.1, 20, 30 + w, 0.01));
  auto record = over_workloads(pairs);
  // The first workload was settled after eight rounds.
  std::erase_if(record.log.trials,
                [](const Trial& trial) { return trial.cell.value < 2 && trial.round.value_or(0) > 9; });
  const auto overall = judge_overall(test::evidence_of(record), judge_record(record)).at(0);
  EXPECT_EQ(overall.rounds, 8U);
  EXPECT_NEAR(overall.finding.effect.value, std::exp((5 * std::log(1.1) + std::log(1.5)) / 6), 0.005);
  ASSERT_EQ(overall.parts.size(), 6U);
  EXPECT_LT(overall.p_homogeneous, 1e-6);
  for (std::size_t w = 0; w < 6; ++w) {
    EXPECT_EQ(overall.parts[w].differs, w == 5) << w;
    EXPECT_LE(std::abs(overall.parts[w].shrunk.value - 1.15),
              std::abs(overall.parts[w].raw.value - 1.15) + 1e-6);
  }
}

TEST(Overall, TheSpanOfManyIsNotThatOfTheirLuckiestEstimates) {
  // Twenty comparisons, all truly −10 %: estimates spread by their errors, what they have in common does not.
  stats::Random random(64);
  std::vector<Finding> findings;
  std::vector<const Finding*> all;
  for (int i = 0; i < 20; ++i) {
    const double error = 0.01, at = std::log(0.9) + error * random.normal();
    findings.push_back({.effect = {Scale::ratio, std::exp(at)},
                        .interval = {std::exp(at - 1.96 * error), std::exp(at + 1.96 * error), 0.95}});
  }
  for (const auto& f : findings) all.push_back(&f);
  const auto drawn = drawn_together(all);
  const auto width = [](const auto& effects) {
    const auto [low, high] = std::ranges::minmax(effects);
    return high - low;
  };
  std::vector<double> raw, shrunk;
  for (const auto* f : all) raw.push_back(f->effect.value);
  for (const auto& effect : drawn) shrunk.push_back(effect.value);
  EXPECT_GT(width(raw), 0.02);
  EXPECT_LT(width(shrunk), 0.6 * width(raw));
}

TEST(Overall, CountsTrialsAtTheirTimeLimitLikeAllOthers) {
  auto hangs = noisy(0.97, 20, 2);
  for (std::size_t i = 3; i < hangs.size(); i += 4) hangs[i] = 10;
  auto record = over_workloads({{noisy(1, 20, 1), hangs}, {noisy(5, 20, 3), noisy(5 * 0.99, 20, 4)}});
  for (auto& trial : record.log.trials)
    if (trial.readings[0].value == 10) trial.outcome = Outcome::timed_out;
  const auto overall = judge_overall(test::evidence_of(record), judge_record(record)).at(0);
  EXPECT_FALSE(overall.finding.all_runs) << "none are told apart as slow ones";
  EXPECT_NE(overall.finding.verdict, Verdict::better);
}

TEST(Overall, ReportsWhenWorkloadsDisagree) {
  const auto record =
      over_workloads({{noisy(1, 20, 1), noisy(1.2, 20, 2)}, {noisy(5, 20, 3), noisy(4, 20, 4)}});
  EXPECT_FALSE(judge_overall(test::evidence_of(record), judge_record(record)).at(0).agree);
}

TEST(Overall, GivesWorkloadsTheirWeightsWhichSettingsShare) {
  // Three comparisons of +20 %, +10 % and no change; the last two are settings of one workload.
  auto record = over_workloads({{noisy(1, 20, 1), noisy(1.2, 20, 2)},
                                {noisy(5, 20, 3), noisy(5 * 1.1, 20, 4)},
                                {noisy(5, 20, 5), noisy(5, 20, 6)}});
  for (const std::int64_t cell : {2, 3, 4, 5}) {
    record.design.cells[CellId{cell}].workload = {1};
    record.design.cells[CellId{cell}].setting.levels["locks"] = std::int64_t{cell < 4 ? 200 : 800};
  }
  const auto effect = [&] {
    return judge_overall(test::evidence_of(record), judge_record(record)).at(0).finding.effect.value;
  };
  EXPECT_NEAR(effect(), std::sqrt(1.2 * std::sqrt(1.1)), 0.002);
  record.design.workloads[WorkloadId{0}].weight = 3;
  EXPECT_NEAR(effect(), std::pow(std::pow(1.2, 3) * std::sqrt(1.1), 0.25), 0.002);
}

TEST(Overall, JudgesUnplannedRoundsAtOnce) {
  auto record =
      over_workloads({{noisy(1, 12, 1), noisy(1.2, 12, 2)}, {noisy(5, 12, 3), noisy(5 * 1.1, 12, 4)}});
  record.design.rules.rounds_min = record.design.rules.rounds_max = 0;
  const auto overall = judge_overall(test::evidence_of(record), judge_record(record));
  ASSERT_EQ(overall.size(), 1U);
  EXPECT_EQ(overall[0].finding.verdict, Verdict::worse);
  EXPECT_EQ(overall[0].finding.rounds, 12U);
}

/// A ranking as text: "0 < 1 = 2 ~ 3 | 4".
std::string order_of(const Ranking& ranking) {
  std::string text;
  for (const auto& place : ranking.places) {
    if (!text.empty())
      text += place.step == Ranking::Step::same ? " = " : place.step == Ranking::Step::apart ? " < " : " ~ ";
    text += std::to_string(place.candidate.value);
  }
  for (const auto id : ranking.unplaced) text += " | " + std::to_string(id.value);
  return text;
}

std::string order_of(const Record& record) {
  const auto rankings = judge_record(record).rankings;
  return rankings.size() == 1 ? order_of(rankings[0]) : std::to_string(rankings.size()) + " rankings";
}

TEST(Ranking, OrdersByEstimatesAndJoinsNeighboursThatAreNotDistinguished) {
  auto record = record_of({noisy(1, 20, 1), noisy(1, 20, 2), noisy(0.7, 20, 3), noisy(0.7, 20, 4)});
  record.design.rules.rounds_min = 7;
  record.design.rules.rounds_max = 20;
  EXPECT_EQ(order_of(record), "2 ~ 3 < 0 = 1") << "no finding compares 2 with 3";
}

TEST(Ranking, ReportsSameOnlyWhereAFindingDoes) {
  auto record = record_of({noisy(1, 40, 1, 0.001), noisy(1, 40, 2, 0.001), noisy(1.5, 40, 3, 0.001)});
  record.design.rules.rounds_min = 7;
  record.design.rules.rounds_max = 40;
  EXPECT_THAT(order_of(record), testing::AnyOf("0 = 1 < 2", "1 = 0 < 2"));
}

TEST(Ranking, PlacesNoneWhoseIntervalSpansAFactorOfTwo) {
  // Two rounds of a program that takes 74 times as long, and one that varies threefold.
  auto record = record_of({{1, 1.01}, {74, 75}, {1, 3}});
  const auto rankings = judge_record(record).rankings;
  ASSERT_EQ(rankings.size(), 1U);
  EXPECT_EQ(order_of(rankings[0]), "0 | 1 | 2") << "two rounds have no interval";
}

TEST(Ranking, PutsTheLargestFirstWhereMoreIsBetter) {
  auto record = record_of({noisy(1, 20, 1, 0.001), noisy(1.1, 20, 2, 0.001), noisy(0.9, 20, 3, 0.001)});
  record.design.rules.rounds_min = 7;
  record.design.rules.rounds_max = 20;
  record.design.metrics[MetricId{0}].direction = Direction::higher;
  EXPECT_EQ(order_of(record), "1 < 0 < 2");
}

TEST(Overall, KeepsItsErrorRate) {
  // Seeded, so the same each time. At most 5 % of 600 campaigns may be called, and more than 57 with a chance
  // below 1e-6; noise of two modes.
  int called = 0;
  for (unsigned seed = 0; seed < 600; ++seed) {
    std::vector<std::vector<double>> values;
    for (unsigned i = 0; i < 6; ++i) {
      values.push_back(noisy(1, 20, 6 * seed + i, 0.02));
      std::mt19937 random(6 * seed + i);
      for (auto& value : values.back())
        if (random() % 3 == 0) value *= 1.2;
    }
    const auto record =
        over_workloads({{values[0], values[3]}, {values[1], values[4]}, {values[2], values[5]}});
    const auto overall = judge_overall(test::evidence_of(record), Findings{});
    called +=
        overall.at(0).finding.verdict == Verdict::worse || overall.at(0).finding.verdict == Verdict::better;
  }
  EXPECT_LE(called, 30);
}

TEST(Ranking, SeldomDistinguishesWhatIsAlike) {
  // Seeded, so the same each time. In at most 5 % of 400 campaigns may any neighbours of five be told apart.
  int apart = 0;
  for (unsigned seed = 0; seed < 400; ++seed) {
    std::vector<std::vector<double>> values;
    for (unsigned i = 0; i < 5; ++i) values.push_back(noisy(1, 20, 5 * seed + i, 0.02));
    auto record = record_of(values);
    record.design.rules.rounds_min = 7;
    record.design.rules.rounds_max = 20;
    Findings findings{.design = record.design};  // that call nothing: the test of all pairs alone
    for (const auto& comparison : record.design.comparisons)
      findings.findings.push_back(
          {.comparison = comparison, .metric = {0}, .rounds = 20, .interval = {0.9, 1.1, 0.95}});
    const auto ranking = rank_candidates(test::evidence_of(record), findings).at(0);
    EXPECT_EQ(ranking.places.size(), 5U);
    apart += std::ranges::count(ranking.places, Ranking::Step::apart, &Ranking::Place::step) > 0 ? 1 : 0;
  }
  EXPECT_LE(apart, 20);
}

TEST(Ranking, KeepsItsErrorRateWithTheFindings) {
  // Seeded, so the same each time. Findings call something in at most 5 % of campaigns, and so does the test
  // of all pairs. Of 40 campaigns at most 16 have any neighbours apart then, but for a chance below 1e-6
  // (binomial, 10 %).
  int apart = 0;
  for (unsigned seed = 0; seed < 40; ++seed) {
    std::vector<std::vector<double>> values;
    for (unsigned i = 0; i < 5; ++i) values.push_back(noisy(1, 20, 1000 + 5 * seed + i, i == 4 ? 0.1 : 0.02));
    auto record = record_of(values);
    record.design.rules.rounds_min = 7;
    record.design.rules.rounds_max = 20;
    const auto ranking = judge_record(record).rankings.at(0);
    apart += std::ranges::count(ranking.places, Ranking::Step::apart, &Ranking::Place::step) > 0 ? 1 : 0;
  }
  EXPECT_LE(apart, 16);
}

TEST(Ranking, DistinguishesWhatLiesOnOppositeSidesOfTheBaseline) {
  // Seven rounds decide each against the baseline; a test of all pairs tells nothing with so few.
  auto record = record_of({noisy(1, 7, 1, 0.001), noisy(1.1, 7, 2, 0.001), noisy(0.9, 7, 3, 0.001)});
  record.design.rules.rounds_min = 7;
  record.design.rules.rounds_max = 60;
  EXPECT_EQ(order_of(record), "2 < 0 < 1");
}

/// Seven rounds tell no two of four apart by a test of all pairs.
TEST(Ranking, DistinguishesWhatIntervalsShowApartThroughOtherBaselines) {
  auto record = record_of({noisy(1, 7, 1), noisy(0.8, 7, 2), noisy(1.6, 7, 3), noisy(1, 7, 4)});
  auto& design = record.design;
  design.candidates[CandidateId{2}].baseline = CandidateId{1};
  design.comparisons = {{{0}, {1}}, {{1}, {2}}, {{0}, {3}}};
  EXPECT_THAT(order_of(record), testing::AnyOf("1 < 0 = 3 < 2", "1 < 3 = 0 < 2")) << "2 is 0.8 times 2 of 0";
}

/// As a document that somebody else wrote may have it.
TEST(Ranking, ComesToAnEndWhereBaselinesGoRound) {
  auto record = record_of({noisy(1, 7, 1), noisy(0.8, 7, 2), noisy(1.6, 7, 3)});
  record.design.comparisons = {{{0}, {1}}, {{1}, {2}}, {{2}, {0}}};
  EXPECT_EQ(judge_record(record).rankings.size(), 1U);
}

TEST(Ranking, OrdersManyCandidates) {
  std::vector<std::vector<double>> values;
  for (unsigned i = 0; i < 30; ++i) values.push_back(noisy(1 + 0.5 * (i / 10), 20, i + 1, 0.001));
  auto record = record_of(values);
  record.design.rules.rounds_min = 7;
  record.design.rules.rounds_max = 20;
  const auto ranking = judge_record(record).rankings.at(0);
  ASSERT_EQ(ranking.places.size(), 30U);
  for (std::size_t i = 0; i < 30; ++i) {
    EXPECT_EQ(ranking.places[i].candidate.value / 10, static_cast<std::int64_t>(i / 10));
    if (i == 10 || i == 20) EXPECT_EQ(ranking.places[i].step, Ranking::Step::apart);
  }
}

TEST(Reversals, FoundWhereTheWinnerChanges) {
  auto record = over_workloads({{noisy(1, 20, 1), noisy(1.3, 20, 2)},
                                {noisy(1, 20, 3), noisy(1.2, 20, 4)},
                                {noisy(1, 20, 5), noisy(0.5, 20, 6)}});
  record.design.workloads = {record.design.workloads.front()};
  record.design.factors = {{.name = "locks", .levels = {}, .role = Factor::Role::size}};
  const std::int64_t sizes[] = {200, 800, 3200};
  for (const auto id : record.design.cells.ids()) {
    record.design.cells[id].workload = {0};
    record.design.cells[id].setting.levels["locks"] = sizes[id.value / 2];
  }
  const auto turns = judge_record(record).reversals;
  ASSERT_EQ(turns.size(), 1U);
  EXPECT_EQ(to_string(turns[0].last_level), "800");
  EXPECT_EQ(to_string(turns[0].first_level), "3200");
  EXPECT_EQ(turns[0].verdict_before, Verdict::worse);
  EXPECT_EQ(turns[0].verdict_after, Verdict::better);
}

TEST(FailureRates, UseFishersExactTest) {
  auto record = record_of({noisy(1, 20, 1), noisy(1, 20, 2)});
  int failed = 0;
  for (auto& trial : record.log.trials)
    if (trial.cell == CellId{1} && trial.role == Role::measured && failed++ < 8)
      trial.outcome = Outcome::failed;
  const auto failures = judge_failures(test::evidence_of(record));
  ASSERT_EQ(failures.size(), 1U);
  // R 4.2: fisher.test(matrix(c(0, 20, 8, 12), 2))$p.value
  EXPECT_NEAR(failures[0].p, 0.003276, 5e-6);
  EXPECT_EQ(failures[0].verdict, Verdict::worse);
}

TEST(Variability, CalledWhenACandidateJitters) {
  auto record = record_of({noisy(1, 40, 1, 0.01), noisy(1, 40, 2, 0.08)});
  record.design.rules.rounds_min = 7;
  record.design.rules.rounds_max = 40;
  const auto spreads = judge_variability(test::evidence_of(record));
  ASSERT_EQ(spreads.size(), 1U);
  EXPECT_GT(spreads[0].ratio, 3);
  EXPECT_EQ(spreads[0].verdict, Verdict::worse);
}

TEST(Variability, KeepsItsErrorRate) {
  // Seeded, so the same each time. At most 5 % of 400 campaigns may be called.
  for (const std::size_t rounds : {10U, 20U}) {
    int called = 0;
    for (unsigned seed = 0; seed < 400; ++seed) {
      auto record = record_of({noisy(1, rounds, 2 * seed + 1), noisy(1, rounds, 2 * seed + 2)});
      record.design.rules.rounds_min = 7;
      record.design.rules.rounds_max = static_cast<int>(rounds);
      called += judge_variability(test::evidence_of(record)).empty() ? 0 : 1;
    }
    EXPECT_LT(called, 20) << "of 400, " << rounds << " rounds";
  }
}

}  // namespace
}  // namespace assay::judge
