#include "assay/judge/sequential.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <vector>

#include "assay/judge/judge.hpp"
#include "assay/schedule/interim_looks.hpp"
#include "assay/stats/random.hpp"
#include "support/series.hpp"

namespace assay::judge {
namespace {

using test::family;
using test::normal_effects;
using test::series_of;
using test::settle_and_stop;
using test::settle_one;

TEST(Sequential, ALargeEffectIsDecidedAtTheFirstLookAndFrozen) {
  stats::Random random(1);
  const auto d = normal_effects(random, 60, 10, 0.5);
  const auto f = settle_one(d, family(0.1));
  EXPECT_TRUE(f.decided);
  EXPECT_EQ(f.decided_at_round, 8U);
  EXPECT_EQ(f.rounds, 60U) << "what was measured since sharpens its interval";
  EXPECT_LT(f.interval.high - f.interval.low, 0.5 * (settle_and_stop(d, family(0.1)).interval.high -
                                                     settle_and_stop(d, family(0.1)).interval.low));
  EXPECT_EQ(f.looks, 1);
  EXPECT_EQ(f.verdict, Verdict::worse);
  EXPECT_NEAR(settle_and_stop(d, family(0.1)).p, 0.03828056, 5e-9);
  EXPECT_LT(f.p, 1e-6) << "later looks make it surer";
}

TEST(Sequential, AFrozenVerdictSurvivesWhateverComesLater) {
  stats::Random random(2);
  auto d = normal_effects(random, 8, 10, 0.5);
  const auto before = settle_one(d, family(0.1), Stage::running);
  const auto after = normal_effects(random, 52, -100, 0.5);
  d.insert(d.end(), after.begin(), after.end());
  const auto later = settle_one(d, family(0.1));
  EXPECT_EQ(before.verdict, Verdict::worse);
  EXPECT_EQ(later.verdict, before.verdict);
  EXPECT_EQ(later.effect.value, before.effect.value);
  EXPECT_EQ(later.p, before.p);
  EXPECT_EQ(later.rounds, 8U);
}

TEST(Sequential, NothingIsLookedAtBetweenPlannedLooks) {
  stats::Random random(3);
  const auto d = normal_effects(random, 9, 10, 30);
  const auto f = settle_one(d, family(0.1), Stage::running);
  EXPECT_EQ(f.looks, 1);
  EXPECT_EQ(f.rounds, 9U) << "what was measured is shown all the same";
  ASSERT_TRUE(f.rounds_to_decide);
  EXPECT_GE(f.rounds_to_decide->rounds, 10) << "the next look is the soonest that can settle it";
  EXPECT_EQ(f.verdict, Verdict::unclear);
}

TEST(Sequential, AClosingLookAtAnUnplannedEndUsesTheLooksTaken) {
  // Twelve rounds, of which the first and third smallest effects are against the others: t = 1 + 3.
  const std::vector<double> d = {-0.5, 3, 4, 5, 6, -3.5, 7, 8, 9, 10, 11, 12};
  const auto going = settle_one(d, family(0.1), Stage::running);
  EXPECT_EQ(going.verdict, Verdict::unclear);
  EXPECT_EQ(going.looks, 2);
  const auto ended = settle_one(d, family(0.1), Stage::ended);
  EXPECT_EQ(ended.looks, 3);
  EXPECT_EQ(ended.verdict, Verdict::worse);
  const schedule::StoppingBoundary planned(schedule::planned_looks(8, 60));
  EXPECT_EQ(ended.p, schedule::FinalLook(planned, 2, 12).p_value(4));
}

TEST(Sequential, AnEarlierLookCountsWhenOthersAreCalledLater) {
  // Among two, the first look's p-value is too large to be called alone; when the other is called, it is not.
  std::vector<double> early = {5, 6, 7, 8, 9, 10, 11, 12, 13, 14}, late = early;
  const std::vector<double> later = {-40, 50, -60, 70};
  early.insert(early.end(), later.begin(), later.end());
  for (int i = 0; i < 4; ++i) late.push_back(15 + i);
  const std::vector<PairedSeries> two = {series_of(early, 1), series_of(late, 2)};
  auto rules = family(0.1);
  rules.options.level = 1 - 0.016;  // at ten rounds all alike give 0.0152, of two half that is called
  const auto findings = decide_family(two, rules, Stage::running);
  EXPECT_EQ(findings[1].verdict, Verdict::worse);
  EXPECT_EQ(findings[0].verdict, Verdict::worse);
  EXPECT_EQ(findings[0].decided_at_round, 10U) << "as it stood at its best look";
}

TEST(Sequential, PAdjustedNeverContradictsTheVerdict) {
  // Clearly not zero, but inside the margin: nothing is called, so nothing may look called.
  stats::Random random(10);
  const auto f = settle_one(normal_effects(random, 60, 0.05, 0.01), family(0.06));
  EXPECT_LE(f.p, 0.05);
  EXPECT_EQ(f.p_adjusted, 1);
  EXPECT_NE(f.verdict, Verdict::worse);
}

TEST(Sequential, AFixedNumberOfRoundsIsTheFixedTest) {
  stats::Random random(4);
  for (int i = 0; i < 200; ++i) {
    const auto d = normal_effects(random, 20, 0.3, 1);
    const auto series = series_of(d);
    auto rules = family(0.1, 20);
    rules.min_rounds = 20;
    const auto f = settle_one(d, rules),
               fixed = judge_paired(series.baseline, series.candidate, rules.options);
    EXPECT_EQ(f.verdict, fixed.verdict);
    EXPECT_NEAR(f.p, fixed.p, 1e-12);
    EXPECT_EQ(f.interval.low, fixed.interval.low);
  }
}

TEST(Sequential, VerdictPAndIntervalAgreeForOneFinding) {
  stats::Random random(5);
  for (int i = 0; i < 400; ++i) {
    const auto d =
        normal_effects(random, 6 + random.below(55), 0.2 * static_cast<double>(random.below(5)), 1);
    const auto f = settle_one(d, family(0.3));
    EXPECT_EQ(f.p <= 0.05, !f.interval.contains(0)) << i;
    EXPECT_EQ(f.verdict == Verdict::same, f.interval.low > -0.3 && f.interval.high < 0.3) << i;
  }
}

TEST(Sequential, SwappedSidesSwapTheVerdict) {
  stats::Random random(6);
  for (int i = 0; i < 200; ++i) {
    auto d = normal_effects(random, 60, 0.5, 1);
    const auto there = settle_one(d, family(0.2));
    for (auto& v : d) v = -v;
    const auto back = settle_one(d, family(0.2));
    EXPECT_EQ(there.rounds, back.rounds);
    EXPECT_EQ(there.p, back.p);
    EXPECT_EQ(there.verdict == Verdict::worse, back.verdict == Verdict::better);
  }
}

TEST(Sequential, AFindingWithMissingPairsIsLookedAtByItsOwnCount) {
  stats::Random random(7);
  auto s = series_of(normal_effects(random, 14, 10, 0.5));
  for (auto& r : s.rounds) r *= 2;  // every other round failed
  const std::vector<PairedSeries> one = {s};
  EXPECT_EQ(decide_family(one, family(0.1), Stage::ended).front().decided_at_round, 8U);
}

TEST(Sequential, AmongManyASingleChangeNeedsMoreRounds) {
  stats::Random random(8);
  std::vector<PairedSeries> all = {series_of(normal_effects(random, 60, 10, 0.1), 1)};
  for (std::int64_t i = 2; i <= 40; ++i) all.push_back(series_of(normal_effects(random, 60, 0, 50), i));
  const auto findings = decide_family(all, family(0.1), Stage::ended);
  EXPECT_EQ(findings[0].verdict, Verdict::worse);
  EXPECT_GT(findings[0].decided_at_round, 11U) << "no sign-flip test among 40 can say it sooner";
}

TEST(Sequential, SeriesWithoutPairsStillCountAmongTheMany) {
  stats::Random random(9);
  const auto d = normal_effects(random, 60, 10, 0.1);
  std::vector<PairedSeries> all = {series_of(d)};
  EXPECT_EQ(decide_family(all, family(0.1), Stage::ended)[0].decided_at_round, 8U);
  all.push_back({.comparison = {{0}, {2}}});
  const auto findings = decide_family(all, family(0.1), Stage::ended);
  EXPECT_EQ(findings[0].decided_at_round, 10U);
  EXPECT_EQ(findings[1].rounds, 0U);
}
}  // namespace
}  // namespace assay::judge
