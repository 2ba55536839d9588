#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "assay/model/error.hpp"
#include "assay/stats/location.hpp"

namespace assay::stats {
namespace {

using testing::DoubleNear;
using testing::Pointwise;

TEST(MedianPolish, AgreesWithR) {
  // medpolish(rbind(c(14,15,14),c(7,4,7),c(8,2,10),c(15,9,10),c(0,2,0))): R 4.2
  const auto polish = median_polish({{14, 15, 14}, {7, 4, 7}, {8, 2, 10}, {15, 9, 10}, {0, 2, 0}});
  EXPECT_DOUBLE_EQ(polish.overall, 8);
  EXPECT_THAT(polish.rows, Pointwise(DoubleNear(1e-12), {6, -1, 0, 2, -8}));
  EXPECT_THAT(polish.columns, Pointwise(DoubleNear(1e-12), {0, -1, 0}));
}

TEST(MedianPolish, TwoColumnsGiveTheMedianOfDifferences) {
  // medpolish(rbind(c(1.2,3.4),c(2.2,4.1),c(0.7,2.2),c(5,6.3))): R 4.2
  const auto polish = median_polish({{1.2, 3.4}, {2.2, 4.1}, {0.7, 2.2}, {5, 6.3}});
  EXPECT_NEAR(polish.overall, 2.725, 1e-12);
  EXPECT_THAT(polish.rows, Pointwise(DoubleNear(1e-12), {-0.425, 0.425, -1.275, 2.925}));
  EXPECT_THAT(polish.columns, Pointwise(DoubleNear(1e-12), {-0.85, 0.85}));
  EXPECT_NEAR(polish.columns[1] - polish.columns[0], (1.5 + 1.9) / 2, 1e-12);
}

TEST(MedianPolish, RefusesWhatIsNoTable) {
  EXPECT_THROW((void)median_polish({}), DomainError);
  EXPECT_THROW((void)median_polish({{}}), DomainError);
  EXPECT_THROW((void)median_polish({{1, 2}, {3}}), DomainError);
}

}  // namespace
}  // namespace assay::stats
