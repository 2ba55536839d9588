#include "assay/schedule/order.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <map>

namespace assay::schedule {
namespace {

std::vector<CellId> some_cells(std::int64_t count) {
  std::vector<CellId> cells;
  for (std::int64_t i = 0; i < count; ++i) cells.push_back({i});
  return cells;
}

TEST(OrderOfRound, DependsOnSeedNumberAndCellsAlone) {
  const auto cells = some_cells(12);
  EXPECT_EQ(order_of_round(7, 3, cells), order_of_round(7, 3, cells));
  EXPECT_NE(order_of_round(7, 3, cells), order_of_round(7, 4, cells));
  EXPECT_NE(order_of_round(7, 3, cells), order_of_round(8, 3, cells));
}

TEST(OrderOfRound, EqualsItsReferenceValues) {
  const std::vector<CellId> expected = {{2}, {4}, {3}, {0}, {1}};
  auto order = order_of_round(1, 1, some_cells(5));
  std::ranges::sort(order);
  EXPECT_EQ(order, some_cells(5));
  EXPECT_EQ(order_of_round(1, 1, some_cells(5)), expected);
}

TEST(OrderOfRound, EveryOrderComesUpEquallyOften) {
  // 24 orders of 4 cells in 24000 rounds: chi-squared with 23 degrees of freedom is above 78 with a chance
  // below 1e-7; the seed is fixed besides.
  std::map<std::vector<CellId>, int> seen;
  for (int round = 1; round <= 24000; ++round) ++seen[order_of_round(99, round, some_cells(4))];
  ASSERT_EQ(seen.size(), 24U);
  double chi_squared = 0;
  for (const auto& [order, count] : seen) chi_squared += (count - 1000.0) * (count - 1000.0) / 1000.0;
  EXPECT_LT(chi_squared, 78);
}

TEST(ControlRounds, ThreeComeEarlyThenEveryFifthRoundOrEveryTenthAfterPilots) {
  const auto controls = [](Way way) {
    std::vector<int> numbers;
    for (int number = 1; number <= 40; ++number)
      if (is_control_round(number, way)) numbers.push_back(number);
    return numbers;
  };
  EXPECT_EQ(controls(Way::abreast), (std::vector{4, 7, 10, 15, 20, 25, 30, 35, 40}));
  EXPECT_EQ(controls(Way::slices), controls(Way::abreast));
  EXPECT_EQ(controls(Way::automatic), (std::vector{15, 25, 35}));
  EXPECT_TRUE(controls(Way::turns).empty());
  for (const int number : controls(Way::automatic)) EXPECT_FALSE(is_twin_round(number)) << "twins are judged";
}

TEST(RoundsInAll, CountTheWarmUpAndTheControls) {
  EXPECT_EQ(rounds_in_all(7, Way::turns), 8);
  EXPECT_EQ(rounds_in_all(7, Way::abreast), 11);
  EXPECT_EQ(rounds_in_all(0, Way::abreast), 1);
}

}  // namespace
}  // namespace assay::schedule
