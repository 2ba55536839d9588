#include <gtest/gtest.h>

#include <cmath>
#include <vector>

#include "assay/model/error.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/many.hpp"
#include "assay/stats/random.hpp"

namespace assay::stats {
namespace {

TEST(Median, TakesTheMiddle) {
  EXPECT_EQ(median(std::vector<double>{3}), 3);
  EXPECT_EQ(median(std::vector<double>{4, 1, 3}), 3);
  EXPECT_EQ(median(std::vector<double>{4, 1, 3, 2}), 2.5);
  EXPECT_THROW(median(std::vector<double>{}), DomainError);
  EXPECT_THROW(median(std::vector<double>{1, INFINITY}), DomainError);
}

TEST(BenjaminiHochberg, AgreesWithR) {
  // R 4.2: p.adjust(c(0.01, 0.04, 0.03, 0.5, 0.04), "BH")
  const std::vector<double> p = {0.01, 0.04, 0.03, 0.5, 0.04}, expected = {0.05, 0.05, 0.05, 0.5, 0.05};
  const auto adjusted = adjust_benjamini_hochberg(p);
  for (std::size_t i = 0; i < p.size(); ++i) EXPECT_NEAR(adjusted[i], expected[i], 1e-15);
  EXPECT_TRUE(adjust_benjamini_hochberg({}).empty());
  EXPECT_THROW(adjust_benjamini_hochberg(std::vector<double>{0.1, 1.1}), DomainError);
}

TEST(Random, StreamsAreReproducibleAndDiffer) {
  Random a(5, 1), same(5, 1), other(5, 2);
  const double first = a.uniform();
  EXPECT_EQ(first, same.uniform());
  EXPECT_NE(first, other.uniform());
  for (int i = 0; i < 1000; ++i) EXPECT_LT(a.below(7), 7U);
}

}  // namespace
}  // namespace assay::stats
