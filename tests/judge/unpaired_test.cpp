#include "assay/judge/unpaired.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "assay/stats/rank_sum.hpp"
#include "support/noise.hpp"
#include "support/records.hpp"

namespace assay::judge {
namespace {
using test::noisy;

/// Samples that did not run side by side.
Record apart(const std::vector<double>& baseline, const std::vector<double>& candidate) {
  auto record = test::record_of({{}, {}});
  record.log.rounds.clear();
  record.log.trials.clear();
  for (const auto* side : {&baseline, &candidate})
    for (const double value : *side) {
      Trial trial{.cell = CellId{side == &baseline ? 0 : 1}, .role = Role::measured};
      trial.readings = {{MetricId{0}, value}};
      record.log.trials.push_back(trial);
    }
  return record;
}

std::vector<Finding> judged(const Record& record) { return judge_unpaired(test::evidence_of(record)); }

TEST(Unpaired, ReportsWhereATestThatLetsSpreadsDifferDisagrees) {
  int agree = 0, differ = 0;
  for (unsigned seed = 0; seed < 60; ++seed) {
    const auto baseline = noisy(1, 6, 2 * seed, 0.1), candidate = noisy(1.03, 30, 2 * seed + 1, 0.01);
    const auto finding = judged(apart(baseline, candidate)).at(0);
    const bool other = stats::brunner_munzel(candidate, baseline).p <= 0.05;
    const bool told = finding.notes.size() > 1;
    EXPECT_EQ(told, other != (finding.p <= 0.05)) << seed;
    if (told) {
      EXPECT_EQ(finding.notes[1].kind, NoteKind::test_disagreement);
    }
    ++(told ? differ : agree);
  }
  EXPECT_GT(agree, 0);
  EXPECT_GT(differ, 0);
}

TEST(Unpaired, DiffersAndIsNeverBetterOrWorse) {
  for (const double ratio : {0.8, 1.25}) {
    const auto found = judged(apart(noisy(1, 12, 1, 0.01), noisy(ratio, 12, 2, 0.01))).at(0);
    EXPECT_EQ(found.verdict, Verdict::differs);
    EXPECT_NEAR(found.effect.value, ratio, 0.02);
    EXPECT_FALSE(found.interval.contains(1));
  }
  EXPECT_EQ(judged(apart(noisy(1, 12, 1, 0.0005), noisy(1, 12, 2, 0.0005))).at(0).verdict, Verdict::same);
}

TEST(Unpaired, NeedsThreeValuesOnEachSide) {
  EXPECT_TRUE(judged(apart({1, 2}, {1, 2, 3})).empty());
  const auto found = judged(apart({1, 2, 3}, {1, 2, 3}));
  ASSERT_EQ(found.size(), 1U);
  EXPECT_EQ(found[0].verdict, Verdict::unclear);
  EXPECT_EQ(found[0].notes.at(0).kind, NoteKind::unpaired);
}

}  // namespace
}  // namespace assay::judge
