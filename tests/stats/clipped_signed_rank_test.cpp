#include "assay/stats/clipped_signed_rank.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <random>

#include "assay/model/error.hpp"
#include "assay/stats/null_distribution.hpp"

namespace assay::stats {
namespace {

using Use = ClippedSignedRank::Use;
using Values = std::vector<double>;

/// Of all 2ⁿ swaps at a shift, how many have a count at most that of the data: what p stands for.
int hits(const Values& a, const Values& b, double shift, Use use) {
  const auto seen = ClippedSignedRank(a, b, use).count(shift);
  int found = 0;
  for (unsigned swap = 0; swap < 1U << a.size(); ++swap) {
    Values x = a, y = b;
    for (std::size_t r = 0; r < a.size(); ++r) {
      y[r] -= shift;
      if ((swap >> r & 1U) != 0) std::swap(x[r], y[r]);
    }
    found += ClippedSignedRank(x, y, use).count(0) <= seen ? 1 : 0;
  }
  return found;
}

void expect_counts(const Values& a, const Values& b, double shift, Use use, std::uint64_t below,
                   std::uint64_t above, int enumerated) {
  const auto both = ClippedSignedRank(a, b, use).counts(shift);
  EXPECT_EQ(both.at_or_below, below) << shift;
  EXPECT_EQ(both.at_or_above, above) << shift;
  if (enumerated == 0) return;
  EXPECT_EQ(hits(a, b, shift, use), enumerated) << shift;
}

void expect_interval(const Values& a, const Values& b, Use use, std::uint64_t c, double low, double high) {
  constexpr std::array anchors = {0.0};
  const auto range = ClippedSignedRank(a, b, use).interval(c, anchors);
  EXPECT_NEAR(range.low, low, 1e-9) << c;
  EXPECT_NEAR(range.high, high, 1e-9) << c;
}

double p_of(const Values& a, const Values& b, double shift) {
  return SignedRank(a.size()).p_two_sided(ClippedSignedRank(a, b).count(shift));
}

// The values that follow were worked out by a program of its own, in exact fractions and by full enumeration.

const Values a1 = {10, 11, 30, 10, 12, 11, 25}, b1 = {14, 40, 15, 13, 15, 29, 14};

TEST(ClippedSignedRank, CountsRoundsThatAreSlowOnBothSidesLeast) {
  EXPECT_TRUE(ClippedSignedRank(a1, b1).is_clipped());
  expect_counts(a1, b1, 0, Use::clipped, 3, 25, 10);
  expect_counts(a1, b1, 0, Use::all, 9, 19, 58);
  expect_counts(a1, b1, 2, Use::clipped, 6, 22, 28);
  EXPECT_DOUBLE_EQ(p_of(a1, b1, 0), 10 / 128.0);
  EXPECT_NEAR(ClippedSignedRank(a1, b1).estimate(), 3, 1e-9);
  expect_interval(a1, b1, Use::clipped, 1, -15, 29);
  expect_interval(a1, b1, Use::clipped, 3, -11, 18);
  expect_interval(a1, b1, Use::clipped, 4, 1, 5);
  expect_interval(a1, b1, Use::all, 4, -6, 16.5);
}

TEST(ClippedSignedRank, HasNarrowerIntervalsWithSlowTrials) {
  const Values a = {100, 101, 103, 100, 150, 102, 100, 101, 131, 100};
  const Values b = {105, 106, 107, 160, 105, 106, 104, 180, 106, 105};
  EXPECT_TRUE(ClippedSignedRank(a, b).is_clipped());
  expect_counts(a, b, 0, Use::clipped, 3, 52, 10);
  expect_counts(a, b, 5, Use::clipped, 38, 23, 480);
  expect_counts(a, b, 0, Use::all, 15, 40, 172);
  EXPECT_NEAR(ClippedSignedRank(a, b).estimate(), 5, 1e-9);
  expect_interval(a, b, Use::clipped, 4, 2, 7);
  EXPECT_NEAR(ClippedSignedRank(a, b, Use::all).estimate(), 4.5, 1e-9);
  expect_interval(a, b, Use::all, 4, -20.5, 42);
}

TEST(ClippedSignedRank, TiesOnlyMakeItMoreCautious) {
  const Values a = {1, 2, 1, 2, 1, 2, 1, 9}, b = {1, 2, 2, 3, 8, 2, 1, 2};
  EXPECT_TRUE(ClippedSignedRank(a, b).is_clipped());
  expect_counts(a, b, 0, Use::clipped, 18, 29, 160);
  expect_counts(a, b, 1, Use::clipped, 31, 8, 32);
  EXPECT_EQ(p_of(a, b, 0), 1);
  expect_interval(a, b, Use::clipped, 3, -1, 1);
  expect_interval(a, b, Use::all, 3, -3.5, 4);
}

TEST(ClippedSignedRank, MoreCheckValues) {
  const Values a = {10, 13, 9, 12, 8, 11, 14}, b = {12, 14, 12, 13, 12, 12, 19};
  EXPECT_TRUE(ClippedSignedRank(a, b).is_clipped());
  EXPECT_DOUBLE_EQ(p_of(a, b, 0), 2 / 128.0);
  expect_counts(a, b, 2, Use::clipped, 10, 19, 56);
  EXPECT_DOUBLE_EQ(p_of(a, b, 2), 74 / 128.0);
  expect_interval(a, b, Use::clipped, 1, 1, 5);
  const Values c = {100, 101, 170, 102, 100, 104, 150, 101}, d = {102, 103, 103, 190, 101, 105, 103, 160};
  expect_counts(c, d, 0, Use::clipped, 8, 28, 0);
  EXPECT_DOUBLE_EQ(p_of(c, d, 0), 50 / 256.0);
  EXPECT_NEAR(ClippedSignedRank(c, d, Use::clipped).estimate(), 1, 1e-9);
  expect_interval(c, d, Use::clipped, 4, -3, 5);
  expect_interval(c, d, Use::all, 4, -33, 45);
}

TEST(ClippedSignedRank, ConstantsGiveAnUnboundedInterval) {
  const Values five(7, 5.0);
  EXPECT_FALSE(ClippedSignedRank(five, five).is_clipped());
  EXPECT_EQ(p_of(five, five, 0), 1);
  EXPECT_DOUBLE_EQ(p_of(five, five, 1), 2 / 128.0);
  expect_interval(five, five, Use::choose, 1, 0, 0);
}

TEST(ClippedSignedRank, SwappingTheSidesMirrorsIt) {
  std::mt19937_64 random(3);
  for (int time = 0; time < 200; ++time) {
    Values a, b;
    for (int r = 0; r < 12; ++r) {
      a.push_back(static_cast<double>(random() % 9 + (random() % 4 == 0 ? 30 : 0)));
      b.push_back(static_cast<double>(random() % 9 + (random() % 4 == 0 ? 30 : 0)));
    }
    ClippedSignedRank one(a, b), other(b, a);
    ASSERT_EQ(one.is_clipped(), other.is_clipped());
    ASSERT_EQ(one.counts(0).at_or_below, other.counts(0).at_or_above);
    ASSERT_EQ(one.counts(2).at_or_below, other.counts(-2).at_or_above);
  }
}

TEST(ClippedSignedRank, AcceptsAnInterval) {
  std::mt19937_64 random(5);
  std::exponential_distribution<double> slow(0.5);
  std::normal_distribution<double> noise;
  for (int time = 0; time < 40; ++time) {
    Values a, b;
    for (int r = 0; r < 30; ++r) {
      a.push_back(0.1 * noise(random) + (random() % 3 == 0 ? slow(random) : 0));
      b.push_back(0.1 * noise(random) + (random() % 3 == 0 ? slow(random) : 0));
    }
    ClippedSignedRank test(a, b, Use::clipped);
    constexpr std::array anchors = {0.0};
    const auto range = test.interval(120, anchors);
    auto before = test.counts(-3);
    for (double shift = -2.95; shift < 3; shift += 0.05) {
      const auto now = test.counts(shift);
      ASSERT_GE(now.at_or_below, before.at_or_below);
      ASSERT_LE(now.at_or_above, before.at_or_above);
      ASSERT_EQ(test.count(shift) >= 120, range.low <= shift && shift <= range.high) << shift;
      before = now;
    }
  }
}

/// Chance of p ≤ 5 % when nothing changed: exact, so that of 4000 series above 260 happen with a chance below
/// 1e-6.
TEST(ClippedSignedRank, KeepsItsErrorRateUnderOneSidedNoise) {
  std::mt19937_64 random(7);
  std::exponential_distribution<double> slow(2);
  std::normal_distribution<double> noise;
  int called = 0, fast = 0;
  constexpr int series = 4000, rounds = 20;
  const SignedRank null(rounds);
  for (int i = 0; i < series; ++i) {
    Values a, b;
    double state = 0;  // of the machine, which stays for a while
    for (int r = 0; r < rounds; ++r) {
      if (random() % 4 == 0) state = random() % 2 == 0 ? 0.7 : 0;
      a.push_back(state + 0.01 * noise(random) + (random() % 3 == 0 ? slow(random) : 0));
      b.push_back(state + 0.01 * noise(random) + (random() % 3 == 0 ? slow(random) : 0));
    }
    ClippedSignedRank test(a, b);
    fast += test.is_clipped() ? 1 : 0;
    called += null.p_two_sided(test.count(0)) <= 0.05 ? 1 : 0;
  }
  EXPECT_LE(called, 269);
  EXPECT_GT(fast, series / 2);
}

TEST(ClippedSignedRank, RefusesWhatCannotBePaired) {
  EXPECT_THROW(ClippedSignedRank({}, {}), DomainError);
  EXPECT_THROW(ClippedSignedRank(Values{1, 2}, Values{1}), DomainError);
  EXPECT_THROW(ClippedSignedRank(Values{1}, Values{INFINITY}), DomainError);
}

std::pair<Values, Values> shaped() {
  Values a, b;
  for (int r = 0; r < 20; ++r) {
    a.push_back(100 + r * 7 % 5 + (r < 6 ? 26 : 0));
    b.push_back(101 + r * 3 % 5 + (r >= 4 && r < 10 ? 47 : 0));
  }
  return {a, b};
}

TEST(SlowRuns, TestedSeparately) {
  const auto [a, b] = shaped();
  EXPECT_EQ(SignedRank(20).critical_count(0.005), 33U);
  expect_interval(a, b, Use::clipped, 33, -2, 4);
  EXPECT_NEAR(ClippedSignedRank(a, b, Use::clipped).estimate(), 1, 1e-9);
  EXPECT_NEAR(ClippedSignedRank(a, b, Use::all).estimate(), 2.5, 1e-9);
  EXPECT_EQ(test_slow_rounds(a, b, 1, 1).rounds, 7U);
  EXPECT_DOUBLE_EQ(test_slow_rounds(a, b, 1, 1).p, 0.03125);
  EXPECT_EQ(test_slow_rounds(a, b, 1, 3).rounds, 10U);
  EXPECT_DOUBLE_EQ(test_slow_rounds(a, b, 1, 3).p, 0.375);
}

}  // namespace
}  // namespace assay::stats
