#include <gtest/gtest.h>

#include <cmath>
#include <vector>

#include "assay/model/error.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/multiple_testing.hpp"
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

TEST(Random, FillsEvenly) {
  // 70000 draws over 7 numbers: chi-squared with 6 degrees of freedom is above 40 with a chance below 1e-6.
  std::vector<std::uint32_t> drawn(70000);
  Random(8).fill_below(7, drawn);
  std::vector<double> count(7);
  for (const auto d : drawn) count.at(d) += 1;
  double chi_squared = 0;
  for (const double c : count) chi_squared += (c - 10000) * (c - 10000) / 10000;
  EXPECT_LT(chi_squared, 40);
}

}  // namespace
}  // namespace assay::stats
