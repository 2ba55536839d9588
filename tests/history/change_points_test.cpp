#include <gtest/gtest.h>

#include <cmath>

#include "assay/history/history_line.hpp"
#include "assay/stats/random.hpp"

namespace assay::history {
namespace {

/// Log ratios around levels, each for so many commits, with noise of 0.5 % and now and then an outlier.
std::vector<double> history_of(const std::vector<std::pair<double, int>>& levels, std::uint64_t stream) {
  stats::Random random(31, stream);
  std::vector<double> values;
  for (const auto& [level, count] : levels)
    for (int i = 0; i < count; ++i)
      values.push_back(level + 0.005 * random.normal() * (random.uniform() < 0.03 ? 10 : 1));
  return values;
}

TEST(ChangePoints, HoldTheStepsWhereTheyAre) {
  int held = 0;
  for (std::uint64_t i = 0; i < 30; ++i) {
    const auto found =
        find_change_points(history_of({{0, 15}, {0.12, 9}, {0, 7}, {0.08, 12}, {0.13, 15}}, i), 0.01);
    if (found.steps.size() < 4) continue;
    bool right = true;
    std::size_t at = 0;
    for (const std::size_t step : {15U, 24U, 31U, 43U}) {
      while (at < found.steps.size() && found.steps[at].after < step) ++at;
      right = right && at < found.steps.size() && found.steps[at].before < step;
    }
    held += right ? 1 : 0;
  }
  EXPECT_GE(held, 24);
}

TEST(ChangePoints, TakeInAValueThatIsALittleOffOnItsSide) {
  // Three values that agree by luck make the fourth look as far off as the step itself.
  const auto found =
      find_change_points(std::vector<double>{0, 0.001, 0.002, 0.05, 1.06, 1.062, 1.061, 1.06, 1.061}, 0.1);
  ASSERT_EQ(found.steps.size(), 1);
  EXPECT_EQ(found.steps.front().before, 3);
  EXPECT_EQ(found.steps.front().after, 4);
  EXPECT_EQ(found.levels.back().first, 4);
}

TEST(ChangePoints, FewWhereNothingChanged) {
  std::size_t steps = 0;
  for (std::uint64_t i = 0; i < 100; ++i)
    steps += find_change_points(history_of({{0, 60}}, i), 0.01).steps.size();
  EXPECT_LT(steps, 20) << "each is a campaign for nothing";
}

TEST(ChangePoints, SeeThatTheNewestLieOff) {
  for (const int newest : {1, 2, 3}) {
    const auto found = find_change_points(history_of({{0, 20}, {0.08, newest}}, 3), 0.01);
    ASSERT_EQ(found.steps.size(), 1) << newest;
    EXPECT_EQ(found.steps.front().after, 20);
  }
  EXPECT_TRUE(find_change_points({}, 0.01).steps.empty());
  EXPECT_TRUE(find_change_points(std::vector<double>{0.3}, 0.01).steps.empty());
}

TEST(ChangePoints, LeaveOutWhatIsBelowTheMargin) {
  EXPECT_FALSE(find_change_points(history_of({{0, 40}, {0.03, 40}}, 5), 0.01).steps.empty());
  EXPECT_TRUE(find_change_points(history_of({{0, 40}, {0.03, 40}}, 5), 0.05).steps.empty());
}

}  // namespace
}  // namespace assay::history
