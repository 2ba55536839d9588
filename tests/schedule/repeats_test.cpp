#include <gtest/gtest.h>

#include "assay/schedule/order.hpp"

namespace assay::schedule {
namespace {

std::vector<int> slots(const std::vector<double>& costs) { return repeats_by_cost(costs); }

TEST(Repeats, OneWhereCostsAreAlike) {
  EXPECT_EQ(slots({1, 1.2, 0.5}), (std::vector{1, 1, 1}));
  EXPECT_EQ(slots({}), std::vector<int>{});
  EXPECT_EQ(slots({2}), std::vector{1});
  EXPECT_EQ(slots({0.04, 0.001}), (std::vector{1, 1})) << "nor where it would save nothing";
}

TEST(Repeats, OfACheapCellTakeAsLongAsAnExpensiveTrial) {
  EXPECT_EQ(slots({4, 1}), (std::vector{1, 4}));
  EXPECT_EQ(slots({1, 3}), (std::vector{3, 1}));
  EXPECT_EQ(slots({4, 0.02}), (std::vector{1, 9})) << "nine at most";
}

TEST(Repeats, SeveralCheapCellsShareTheTime) {
  EXPECT_EQ(slots({8, 1, 2, 7}), (std::vector{1, 4, 2, 1}));
  EXPECT_EQ(slots({1, 0.3, 0.3, 0.3, 0.3, 0.3}), (std::vector{1, 1, 1, 1, 1, 1}));
  EXPECT_EQ(slots({4, 0.02, 0.025}), (std::vector{1, 9, 9}));
}

}  // namespace
}  // namespace assay::schedule
