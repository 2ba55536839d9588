#include "assay/judge/paired_test.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <vector>

#include "assay/model/error.hpp"
#include "assay/stats/random.hpp"

namespace assay::judge {
namespace {

const Metric wall_time{.name = "wall time", .unit = "s"};
const Metric rate{.name = "rate", .unit = "1/s", .direction = Direction::higher};
const Metric level{.name = "level", .unit = "m", .scale = Scale::difference};

struct Samples {
  std::vector<double> baseline, candidate;
};

/// n rounds whose log ratios are normal about ln(ratio) with this spread.
Samples samples(std::uint64_t seed, std::size_t n, double ratio, double spread) {
  stats::Random random(seed);
  Samples s;
  for (std::size_t i = 0; i < n; ++i) {
    s.baseline.push_back(0.1 * std::exp(0.3 * random.normal()));
    s.candidate.push_back(s.baseline.back() * ratio * std::exp(spread * random.normal()));
  }
  return s;
}

Verdict verdict(const Samples& s, const Metric& metric, double margin = 0.01) {
  return judge_paired(s.baseline, s.candidate, {.metric = metric, .margin = margin}).verdict;
}

TEST(JudgePaired, AgreesWithRWhereBothAreExact) {
  // R 4.2: w <- wilcox.test(log(after / before), conf.int = TRUE); exp(w$estimate), exp(w$conf.int),
  // w$p.value
  const std::vector<double> before = {412, 405, 431, 418, 409, 422, 440, 415, 408, 427};
  const std::vector<double> after = {391, 388, 402, 396, 385, 399, 418, 390, 389, 404};
  const auto f = judge_paired(before, after, {.metric = wall_time});
  ASSERT_TRUE(f.all_runs) << "the fast runs are judged, all runs are told beside them";
  EXPECT_NEAR(f.all_runs->effect.value, 0.9465705191356157, 1e-12);
  EXPECT_NEAR(f.all_runs->interval.low, 0.9408365097820640, 1e-12);
  EXPECT_NEAR(f.all_runs->interval.high, 0.9517141398138249, 1e-12);
  EXPECT_NEAR(f.p, 0.001953125, 1e-15);
  EXPECT_EQ(f.verdict, Verdict::better);
  EXPECT_TRUE(f.beyond_margin);
  EXPECT_EQ(f.baseline_typical, 416.5);
}

TEST(JudgePaired, TellsBetterFromWorseByWhatThePersonPrefers) {
  const auto less = samples(1, 20, 0.9, 0.02), more = samples(2, 20, 1.1, 0.02);
  EXPECT_EQ(verdict(less, wall_time), Verdict::better);
  EXPECT_EQ(verdict(more, wall_time), Verdict::worse);
  EXPECT_EQ(verdict(less, rate), Verdict::worse);
  EXPECT_EQ(verdict(more, rate), Verdict::better);
}

TEST(JudgePaired, ReportsSameOnlyWhenTheWholeIntervalLiesInsideTheMargin) {
  EXPECT_EQ(verdict(samples(3, 20, 1, 0.002), wall_time), Verdict::same);
  EXPECT_EQ(verdict(samples(3, 20, 1, 0.05), wall_time), Verdict::unclear);
  EXPECT_EQ(verdict(samples(3, 20, 1.004, 0.001), wall_time), Verdict::same)
      << "a change, but too small to matter";
}

TEST(JudgePaired, AChangeInsideTheMarginIsNeverBetterOrWorse) {
  const auto f = judge_paired(samples(4, 60, 1.008, 0.004).baseline, samples(4, 60, 1.008, 0.004).candidate,
                              {.metric = wall_time});
  EXPECT_LT(f.p, 0.001);
  EXPECT_NE(f.verdict, Verdict::worse);
}

TEST(JudgePaired, UnclearFindingsArePriced) {
  const auto s = samples(5, 20, 1, 0.05);
  const auto f = judge_paired(s.baseline, s.candidate, {.metric = wall_time});
  ASSERT_EQ(f.verdict, Verdict::unclear);
  ASSERT_TRUE(f.rounds_to_decide);
  EXPECT_GT(f.rounds_to_decide->rounds, 20);
  EXPECT_FALSE(judge_paired(s.baseline, s.baseline, {.metric = wall_time}).rounds_to_decide);
}

TEST(JudgePaired, SwappedSidesSwapTheFinding) {
  for (std::uint64_t seed = 1; seed <= 200; ++seed) {
    const auto s = samples(seed, 6 + seed % 30, 1 + 0.001 * static_cast<double>(seed % 40), 0.01);
    const auto there = judge_paired(s.baseline, s.candidate, {.metric = wall_time});
    const auto back = judge_paired(s.candidate, s.baseline, {.metric = wall_time});
    EXPECT_NEAR(there.effect.value * back.effect.value, 1, 1e-12);
    EXPECT_EQ(there.p, back.p);
    const auto turned = there.verdict == Verdict::better  ? Verdict::worse
                        : there.verdict == Verdict::worse ? Verdict::better
                                                          : there.verdict;
    EXPECT_EQ(back.verdict, turned) << seed;
  }
}

TEST(JudgePaired, PIsAtMostAlphaExactlyWhenTheIntervalExcludesNoChange) {
  stats::Random random(17);
  for (int i = 0; i < 5000; ++i) {
    std::vector<double> zero(6 + random.below(25)), d(zero.size());
    for (auto& v : d)
      v = random.below(2) == 0 ? static_cast<double>(random.below(5)) - 2 : random.normal() + 0.3;
    const auto f = judge_paired(zero, d, {.metric = level, .margin = 0.1});
    ASSERT_EQ(f.p <= 0.05, !f.interval.contains(0)) << i;
  }
}

TEST(JudgePaired, FalseAlarmsStayAtTheirRateWhateverTheNoise) {
  // 1500 samples of 20 rounds each, no change, order shuffled: at a true rate of 4.8 % (the exact level at
  // n = 20), more than 118 have a chance below 1e-6 (binomial).
  const auto noise = [](int kind, stats::Random& random) {
    const double z = random.normal();
    if (kind == 0) return z;
    if (kind == 1) return z / std::abs(random.normal());    // Cauchy
    if (kind == 2) return std::exp(z);                      // lognormal
    return random.below(2) == 0 ? z * 0.01 : 5 + z * 0.01;  // two modes
  };
  for (int kind = 0; kind < 4; ++kind) {
    stats::Random random(100 + static_cast<std::uint64_t>(kind));
    int alarms = 0;
    for (int i = 0; i < 1500; ++i) {
      std::vector<double> a(20), b(20);
      for (std::size_t r = 0; r < a.size(); ++r) {
        a[r] = noise(kind, random) + static_cast<double>(r);  // with drift, which pairing takes out
        b[r] = noise(kind, random) + static_cast<double>(r);
      }
      alarms += judge_paired(a, b, {.metric = level, .margin = 1e-9}).p <= 0.05 ? 1 : 0;
    }
    EXPECT_LE(alarms, 118) << kind;
  }
}

TEST(JudgePaired, RefusesBadInputAndNamesIt) {
  const std::vector<double> fine = {1, 2, 3}, two = {1, 2}, zero = {1, 0, 3}, nan = {1, 2, std::nan("")};
  EXPECT_THROW(judge_paired(fine, two, {.metric = wall_time}), DomainError);
  EXPECT_THROW(judge_paired({}, {}, {.metric = wall_time}), DomainError);
  EXPECT_THROW(judge_paired(fine, nan, {.metric = wall_time}), DomainError);
  EXPECT_THROW(judge_paired(fine, fine, {.metric = wall_time, .level = 1}), DomainError);
  EXPECT_THROW(judge_paired(fine, fine, {.metric = wall_time, .margin = -0.1}), DomainError);
  EXPECT_NO_THROW(judge_paired(fine, zero, {.metric = level}));
  try {
    judge_paired(fine, zero, {.metric = wall_time});
    FAIL() << "a zero was taken on a ratio scale";
  } catch (const DomainError& error) {
    EXPECT_EQ(error.index(), 1U);
    EXPECT_EQ(error.value(), 0);
  }
}

TEST(JudgePaired, CountsRepeatsWithinRounds) {
  const std::vector<double> dear = {10, 11, 12};
  const std::vector<double> cheap = {5, 6, 7, 8, 5, 6, 7, 8, 5, 6, 7, 8};
  const auto f = judge_paired(dear, cheap, {.metric = {"wall time", "s"}, .replication = {1, 4}});
  EXPECT_NEAR(f.p, 2.0 / 125, 1e-15) << "of 5³ ways to place the three among their four, the one of 125";
  EXPECT_EQ(f.verdict, Verdict::better);
  EXPECT_EQ(f.rounds, 3U);
  EXPECT_THROW(judge_paired(dear, cheap, {.metric = {"wall time", "s"}, .replication = {1, 3}}), DomainError);
}

}  // namespace
}  // namespace assay::judge
