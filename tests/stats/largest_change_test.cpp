#include "assay/stats/largest_change.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <random>
#include <stdexcept>

#include "assay/stats/random.hpp"

namespace assay::stats {
namespace {

using Table = std::vector<std::vector<double>>;

/// Differences of counts of samples that fall at random (Poisson), in rows of unlike size, with noise that all
/// rows of a round share.
Table made_up(std::uint64_t seed, int rows, int rounds, double changed_by = 0) {
  std::mt19937_64 draw(seed);
  std::normal_distribution<double> normal;
  Table table(static_cast<std::size_t>(rows), std::vector<double>(static_cast<std::size_t>(rounds)));
  for (int r = 0; r < rounds; ++r) {
    const double before = std::exp(0.05 * normal(draw)), after = std::exp(0.05 * normal(draw));
    for (int f = 0; f < rows; ++f) {
      const double size = 200.0 / (1 + f);  // the last are hit now and then
      const double change = f == 0 ? 1 + changed_by : 1;
      const auto x = std::poisson_distribution<int>(size * before)(draw),
                 y = std::poisson_distribution<int>(size * change * after)(draw);
      table[static_cast<std::size_t>(f)][static_cast<std::size_t>(r)] = y - x;
    }
  }
  return table;
}

double statistic(const std::vector<double>& d, unsigned exchanged) {
  double sum = 0, squares = 0;
  for (std::size_t r = 0; r < d.size(); ++r) {
    sum += (exchanged >> r & 1U) != 0 ? -d[r] : d[r];
    squares += d[r] * d[r];
  }
  return squares > 0 ? std::abs(sum) / std::sqrt(squares) : 0;
}

TEST(LargestChange, EqualsAnEnumerationOfAllExchanges) {
  for (const std::uint64_t seed : {1U, 2U, 3U}) {
    const auto table = made_up(seed, 5, 8, 0.3);
    std::vector<double> largest;
    for (unsigned exchanged = 0; exchanged < 256; ++exchanged) {
      double most = 0;
      for (const auto& row : table) most = std::max(most, statistic(row, exchanged));
      largest.push_back(most);
    }
    std::ranges::sort(largest);
    const auto changes = test_rows(table, 0.05, 0);
    for (std::size_t f = 0; f < table.size(); ++f) {
      const double own = statistic(table[f], 0);
      const auto as_large = std::ranges::count_if(largest, [&](double t) { return t >= own - 1e-9; });
      EXPECT_NEAR(changes[f].p, static_cast<double>(as_large) / 256, 1e-12);
      EXPECT_EQ(changes[f].named, changes[f].p <= 0.05) << seed << " " << f;
      EXPECT_EQ(changes[f].named, changes[f].low > 0 || changes[f].high < 0);
    }
  }
}

/// R: d <- c(3,5,2,6,4,1,7); e <- c(-1,2,0,1,-2,1,0)
/// S <- as.matrix(expand.grid(rep(list(c(1,-1)),7)))
/// T <- pmax(abs(S %*% d)/sqrt(sum(d^2)), abs(S %*% e)/sqrt(sum(e^2)))
/// q <- sort(T)[128 - floor(.05*128)]; m <- mean(d); s <- sqrt(mean(d^2) - m^2)
/// c(q, mean(T >= sum(d)/sqrt(sum(d^2))), m - q*s/sqrt(7-q^2), m + q*s/sqrt(7-q^2))
/// 2.110579412 0.015625 1.354248689 6.645751311
TEST(LargestChange, EqualsFiguresOfR) {
  const Table table = {{3, 5, 2, 6, 4, 1, 7}, {-1, 2, 0, 1, -2, 1, 0}};
  const auto changes = test_rows(table, 0.05, 0);
  EXPECT_DOUBLE_EQ(changes[0].mean, 4);
  EXPECT_NEAR(changes[0].p, 0.015625, 1e-12);
  EXPECT_NEAR(changes[0].low, 1.354248689, 1e-9);
  EXPECT_NEAR(changes[0].high, 6.645751311, 1e-9);
  EXPECT_TRUE(changes[0].named);
  EXPECT_FALSE(changes[1].named);
}

TEST(LargestChange, MeansAddUpAndExchangingAllRoundsTurnsThemOver) {
  auto table = made_up(7, 30, 20, 0.2);
  const auto changes = test_rows(table, 0.05, 1);
  double sum = 0, whole = 0;
  for (std::size_t f = 0; f < table.size(); ++f) {
    sum += changes[f].mean;
    for (const double d : table[f]) whole += d / 20;
  }
  EXPECT_NEAR(sum, whole, 1e-9);
  for (auto& row : table)
    for (auto& d : row) d = -d;
  const auto turned = test_rows(table, 0.05, 1);
  for (std::size_t f = 0; f < table.size(); ++f) {
    EXPECT_DOUBLE_EQ(turned[f].mean, -changes[f].mean);
    EXPECT_DOUBLE_EQ(turned[f].low, -changes[f].high);
    EXPECT_EQ(turned[f].named, changes[f].named);
    EXPECT_EQ(turned[f].p, changes[f].p);
  }
}

TEST(LargestChange, WhatIsHardlyEverHitIsNeverNamedAndCostsNothing) {
  auto table = made_up(3, 1, 20, 0.5);
  const auto alone = test_rows(table, 0.05, 5);
  EXPECT_TRUE(alone[0].named);
  for (int i = 0; i < 60; ++i) {
    table.emplace_back(20, 0.0);
    table.back()[static_cast<std::size_t>(i % 20)] = 1000;
    table.back()[static_cast<std::size_t>((i + 7) % 20)] = 1000;
  }
  const auto with_rare = test_rows(table, 0.05, 5);
  EXPECT_TRUE(with_rare[0].named);
  EXPECT_LT(with_rare[0].high - with_rare[0].low, 1.2 * (alone[0].high - alone[0].low));
  for (std::size_t f = 1; f < table.size(); ++f) EXPECT_FALSE(with_rare[f].named);
}

TEST(LargestChange, TooFewRoundsNameNothing) {
  EXPECT_EQ(fewest_rounds(0.05), 6);
  EXPECT_EQ(fewest_rounds(0.01), 8);
  const Table five(1, std::vector<double>(5, 1.0)), six(1, std::vector<double>(6, 1.0));
  EXPECT_FALSE(test_rows(five, 0.05, 0)[0].named);
  EXPECT_EQ(test_rows(five, 0.05, 0)[0].high, std::numeric_limits<double>::infinity());
  EXPECT_TRUE(test_rows(six, 0.05, 0)[0].named);
  EXPECT_TRUE(test_rows({}, 0.05, 0).empty());
  const Table unlike = {{1, 2}, {1}}, infinite = {{1, INFINITY}};
  EXPECT_THROW(test_rows(unlike, 0.05, 0), std::invalid_argument);
  EXPECT_THROW(test_rows(infinite, 0.05, 0), std::invalid_argument);
}

/// Campaigns of 40 rows without a change, and with one row changed: at most 58 of 600 name a row that has not
/// changed (more has a chance of 9e-7 at 5 %; R: 1 - pbinom(58, 600, .05)).
TEST(LargestChange, ARowWithoutAChangeIsNamedInFivePerCentAtMost) {
  int named = 0, named_beside = 0, found = 0, all_hold = 0;
  constexpr int campaigns = 600;
  for (int i = 0; i < campaigns; ++i) {
    const auto none = test_rows(made_up(static_cast<std::uint64_t>(i), 40, 9), 0.05, 1);
    named += std::ranges::any_of(none, &RowChange::named) ? 1 : 0;
    all_hold += std::ranges::all_of(none, [](const RowChange& row) { return row.low <= 0 && row.high >= 0; });
    const auto one = test_rows(made_up(static_cast<std::uint64_t>(campaigns + i), 40, 9, 0.5), 0.05, 1);
    found += one[0].named ? 1 : 0;
    named_beside += std::any_of(one.begin() + 1, one.end(), [](const RowChange& row) { return row.named; });
  }
  EXPECT_LE(named, 58);
  EXPECT_LE(named_beside, 58);
  EXPECT_EQ(all_hold, campaigns - named) << "an interval leaves out 0 where its row is named";
  EXPECT_GE(found, campaigns * 9 / 10);
}

}  // namespace
}  // namespace assay::stats
