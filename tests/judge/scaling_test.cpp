#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "assay/judge/aggregates.hpp"
#include "assay/judge/gate.hpp"
#include "assay/judge/judge.hpp"
#include "assay/stats/random.hpp"
#include "support/records.hpp"

namespace assay::judge {
namespace {

std::vector<RequirementFinding> requirements_of(const Record& record) {
  return judge_requirements(test::evidence_of(record));
}

/// Seven rounds in which each of two candidates costs what `cost` says at each level of factor n.
Record over_levels(const std::vector<std::int64_t>& levels, Factor::Role role,
                   const std::function<double(int, double)>& cost) {
  auto record = test::record_of({std::vector<double>(7, 1.0), std::vector<double>(7, 1.0)});
  record.design.factors = {{.name = "n", .levels = {}, .role = role}};
  record.design.cells = {};
  record.design.comparisons.clear();
  record.log.trials.clear();
  for (const auto n : levels)
    for (int candidate = 0; candidate < 2; ++candidate) {
      const CellId id{static_cast<std::int64_t>(record.design.cells.size())};
      Cell cell{.candidate = {candidate}};
      cell.setting.levels["n"] = n;
      record.design.cells.add(cell);
      if (candidate == 1) record.design.comparisons.push_back({{id.value - 1}, id});
      for (const auto& round : record.log.rounds) {
        Trial trial{
            .cell = id, .round = round.number, .role = round.number == 1 ? Role::warm_up : Role::measured};
        const double noise = 1 + 1e-4 * std::sin(static_cast<double>(round.number * 7 + id.value));
        trial.readings = {{MetricId{0}, noise * cost(candidate, static_cast<double>(n))}};
        record.log.trials.push_back(trial);
      }
    }
  return record;
}

TEST(ScalingCurves, OverSizesHaveExponentLawAndCrossing) {
  const auto findings =
      judge_record(over_levels({10, 20, 40, 80, 160, 320}, Factor::Role::size,
                               [](int c, double n) { return c == 0 ? 1e-6 * n * n : 1e-4 * n; }));
  ASSERT_EQ(findings.scaling.size(), 2U);
  EXPECT_NEAR(*findings.scaling[0].exponent, 2, 1e-3);
  EXPECT_EQ(findings.scaling[0].law, "n²");
  EXPECT_FALSE(findings.scaling[0].crossing) << "it is the baseline";
  EXPECT_NEAR(*findings.scaling[1].exponent, 1, 1e-3);
  ASSERT_TRUE(findings.scaling[1].crossing);
  EXPECT_NEAR(*findings.scaling[1].crossing, 100, 1);
  EXPECT_TRUE(findings.scaling[1].crossing_interval.contains(100));
}

TEST(ScalingCurves, QuoteNoSingleRatioThatChangesWithSize) {
  const auto overall_of = [](double power) {
    return judge_record(
               over_levels({10, 20, 40, 80}, Factor::Role::size,
                           [power](int c, double n) { return c == 0 ? n : 0.5 * std::pow(n, power); }))
        .overall;
  };
  EXPECT_EQ(overall_of(1).at(0).obstacle, Overall::Obstacle::none);
  EXPECT_NEAR(overall_of(1).at(0).finding.effect.value, 0.5, 0.001);
  EXPECT_EQ(overall_of(1.2).at(0).obstacle, Overall::Obstacle::changes_with_size);
  EXPECT_EQ(overall_of(1.2).at(0).factor, "n");
}

TEST(ScalingCurves, ALawThatDoesNotGoWithTheExponentIsNotNamed) {
  const auto findings = judge_record(
      over_levels({10, 20, 40, 80, 160, 320}, Factor::Role::size, [](int, double n) { return 1e3 + n * n; }));
  EXPECT_LT(*findings.scaling[0].exponent, 1.9);
  EXPECT_EQ(findings.scaling[0].law, "") << "a start-up cost with n² on top";
}

TEST(ScalingCurves, ACrossingFarBeyondTheSizesIsNotReported) {
  const auto crossing_at = [](double factor) {
    const auto findings =
        judge_record(over_levels({10, 20, 40}, Factor::Role::size, [factor](int c, double n) {
          return c == 0 ? n * n : factor * n;  // they cross at n = factor
        }));
    return findings.scaling.at(1).crossing.has_value();
  };
  EXPECT_TRUE(crossing_at(395));
  EXPECT_FALSE(crossing_at(405)) << "more than ten times the largest size";
  EXPECT_FALSE(crossing_at(0.99)) << "less than a tenth of the smallest";
}

TEST(ScalingCurves, NeedThreeLevelsAndAFactorOfSizesOrThreads) {
  const auto flat = [](int, double) { return 1.0; };
  EXPECT_TRUE(judge_record(over_levels({1, 2}, Factor::Role::size, flat)).scaling.empty());
  EXPECT_TRUE(judge_record(over_levels({1, 2, 3}, Factor::Role::option, flat)).scaling.empty());
  EXPECT_EQ(judge_record(over_levels({1, 2, 3}, Factor::Role::size, flat)).scaling.size(), 2U);
}

TEST(ScalingCurves, OverThreadsFollowTheScalabilityLaw) {
  // Time per call of n threads, each as quick as one but for contention of 5 %.
  auto record = over_levels({1, 2, 4, 8}, Factor::Role::threads,
                            [](int c, double n) { return c == 0 ? 1.0 : 1 + 0.05 * (n - 1); });
  record.design.kind = CampaignKind::contest;
  const auto findings = judge_record(record);
  ASSERT_EQ(findings.scaling.size(), 2U);
  EXPECT_NEAR(*findings.scaling[0].contention, 0, 1e-3);
  EXPECT_NEAR(*findings.scaling[1].contention, 0.05, 1e-3);
  EXPECT_FALSE(findings.scaling[0].exponent);
  EXPECT_NEAR(findings.scaling[0].throughput.back(), 8, 0.01);
  // Of one job that the threads share, the same times say that nothing is gained.
  record.design.kind = CampaignKind::plan;
  EXPECT_NEAR(judge_record(record).scaling[0].throughput.back(), 1, 0.01);
}

TEST(ScalingCurves, OverThreadsHaveAPlateauWhereMoreNoLongerHelp) {
  // Three threads do half again as much as one, and nothing is gained beyond.
  const auto plateau_of = [](double beyond) {
    return judge_record(over_levels({1, 2, 3, 4, 6}, Factor::Role::threads,
                                    [beyond](int c, double n) {
                                      const double does = c == 0  ? n
                                                          : n < 3 ? 1 + 0.25 * (n - 1)
                                                          : n < 6 ? 1.5
                                                                  : 1.5 * beyond;
                                      return 1 / does;
                                    }))
        .scaling;
  };
  EXPECT_FALSE(plateau_of(1)[0].plateau) << "it scales to the last";
  EXPECT_FALSE(plateau_of(1)[0].knee);
  EXPECT_EQ(plateau_of(1)[1].knee, 3);
  EXPECT_EQ(plateau_of(1)[1].plateau, 3);
  EXPECT_EQ(plateau_of(1.008)[1].plateau, 3) << "within the margin of 1 %";
  EXPECT_FALSE(plateau_of(1.012)[1].plateau);
  EXPECT_EQ(plateau_of(0.7)[1].plateau, 3) << "falling counts too";
}

Record required(const std::vector<double>& baseline, const std::string& limit) {
  auto record = test::record_of({baseline, std::vector<double>(baseline.size(), 1.0)});
  record.design.metrics[MetricId{0}].request.require = parse_requirement(limit);
  return record;
}

TEST(Requirements, DecidedWhenTheWholeIntervalIsOnOneSide) {
  using Status = RequirementFinding::Status;
  // Two cells are asked, so at 97.5 % each: of ten values the interval of the median reaches from the second
  // to the ninth, P(X ≤ 1) = 11/1024 (David & Nagaraja 2003).
  const std::vector<double> ten_values = {5, 10, 1, 9, 2, 8, 3, 7, 4, 6};
  const auto status = [&](const std::string& limit) {
    return requirements_of(required(ten_values, limit)).at(0).status;
  };
  EXPECT_EQ(status("<= 9"), Status::met);
  EXPECT_EQ(status("< 9"), Status::undecided);
  EXPECT_EQ(status("<= 2"), Status::undecided);
  EXPECT_EQ(status("< 2"), Status::violated);
  EXPECT_EQ(status(">= 2"), Status::met);
  EXPECT_EQ(status("> 9"), Status::violated);
  const auto found = requirements_of(required(ten_values, "<= 11")).at(0);
  EXPECT_EQ(found.typical, 5.5);
  EXPECT_DOUBLE_EQ(found.headroom, 0.5);
  EXPECT_DOUBLE_EQ(requirements_of(required(ten_values, ">= 11")).at(0).headroom, -0.5);
}

TEST(Requirements, CoverWhereNeighbouringRoundsAreAlike) {
  // 1500 campaigns of 60 rounds, autocorrelation 0.8, held against the true median: at 97.5 % more than 74
  // that are called have a chance below 1e-6. With rounds taken as independent 40 % are.
  stats::Random random(31);
  int called = 0;
  for (int i = 0; i < 1500; ++i) {
    std::vector<double> values;
    double mood = random.normal() / 0.6;
    for (int r = 0; r < 60; ++r) values.push_back(10 + (mood = 0.8 * mood + random.normal()));
    auto record = required(values, "< 10");
    const auto status = requirements_of(record).at(0).status;
    called += status == RequirementFinding::Status::undecided ? 0 : 1;
  }
  EXPECT_LE(called, 74);
}

TEST(Requirements, FewRoundsDecideNothing) {
  const std::vector<double> five = {1, 1, 1, 1, 1};
  EXPECT_EQ(requirements_of(required(five, "< 100")).at(0).status, RequirementFinding::Status::undecided);
}

TEST(TwinNote, ATwinThatIsCalledDifferentIsReportedFirst) {
  std::vector<double> a, b;
  for (int i = 0; i < 10; ++i) {
    a.push_back(1 + 0.001 * i);
    b.push_back(1.05 + 0.001 * i);
  }
  auto record = test::record_of({a, b});
  record.design.candidates[CandidateId{1}].twin_of = CandidateId{0};
  const auto once = judge_record(record);
  ASSERT_FALSE(once.notes.empty());
  EXPECT_EQ(once.notes[0].kind, NoteKind::aa_unconfirmed) << "there are no rounds after the call";
  EXPECT_EQ(once.notes[0].level, Note::Level::note);
  EXPECT_THAT(test::notes_of(once)[0],
              testing::HasSubstr("this copy of the baseline was called worse (+5 %), as one in twenty is"));
}

TEST(TwinNote, FreshRoundsTellWhetherItWasChance) {
  const auto kind_with = [](double later) {
    std::vector<double> a, b;
    for (int i = 0; i < 20; ++i) {
      a.push_back(1 + 0.001 * (i * 7 % 5));
      b.push_back((i < 8 ? 1.05 : later) + 0.001 * (i * 3 % 5));
    }
    auto record = test::record_of({a, b});
    record.design.candidates[CandidateId{1}].twin_of = CandidateId{0};
    record.design.rules.rounds_min = 8;
    record.design.rules.rounds_max = 60;
    const auto notes = judge_record(record).notes;
    return notes.empty() ? std::optional<NoteKind>{} : notes.front().kind;
  };
  EXPECT_EQ(kind_with(1.05), NoteKind::aa_difference);
  EXPECT_EQ(kind_with(1.0), NoteKind::aa_chance);
}

}  // namespace
}  // namespace assay::judge
