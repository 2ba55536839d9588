#include <gtest/gtest.h>

#include "assay/schedule/order.hpp"

namespace assay::schedule {
namespace {

/// The first is compared with all others.
std::vector<int> slots(const std::vector<double>& costs) {
  std::vector<int> comparisons(costs.size(), 1);
  if (!costs.empty()) comparisons[0] = static_cast<int>(costs.size()) - 1;
  return repeats_by_cost(costs, comparisons);
}

TEST(Repeats, OneWhereCostsAreAlike) {
  EXPECT_EQ(slots({1, 1.2, 0.5}), (std::vector{1, 1, 1}));
  EXPECT_EQ(slots({}), std::vector<int>{});
  EXPECT_EQ(slots({2}), std::vector{1});
  EXPECT_EQ(slots({0.04, 0.001}), (std::vector{1, 1})) << "nor where it would save nothing";
}

TEST(Repeats, OfACheapCellTakeAsLongAsAnExpensiveTrial) {
  EXPECT_EQ(slots({4, 1}), (std::vector{1, 4}));
  EXPECT_EQ(slots({1, 3}), (std::vector{3, 1}));
  EXPECT_EQ(slots({4, 0.02}), (std::vector{1, 40})) << "forty at most";
}

TEST(Repeats, SeveralCheapCellsShareTheTimeByTheirNeed) {
  EXPECT_EQ(slots({8, 1, 2, 7}), (std::vector{1, 4, 2, 1}));
  EXPECT_EQ(slots({1, 0.3, 0.3, 0.3, 0.3, 0.3}), (std::vector{1, 1, 1, 1, 1, 1}));
  EXPECT_EQ(slots({4, 0.02, 0.025}), (std::vector{1, 40, 40}));
  // The baseline is in four comparisons: it gets two of five shares.
  EXPECT_EQ(slots({1, 1, 1, 1, 12}), (std::vector{4, 2, 2, 2, 1}));
}

}  // namespace
}  // namespace assay::schedule
