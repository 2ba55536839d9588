#include "assay/stats/pooled.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <vector>

#include "assay/model/error.hpp"
#include "assay/stats/random.hpp"

namespace assay::inline v1::stats {
namespace {

TEST(Pooled, IsThatOfR) {
  // x <- c(0.10,0.14,0.02,0.09); s <- c(0.02,0.03,0.025,0.05); w <- 1/s^2; m <- sum(w*x)/sum(w)
  // Q <- sum(w*(x-m)^2); c(m, 1/sqrt(sum(w)), Q, pchisq(Q, 3, lower.tail=FALSE)): R 4.2
  const auto all = pooled(std::vector{0.10, 0.14, 0.02, 0.09}, std::vector{0.02, 0.03, 0.025, 0.05});
  EXPECT_NEAR(all.value, 0.0843960396039604, 1e-14);
  EXPECT_NEAR(all.standard_error, 0.0133498247846995, 1e-14);
  EXPECT_NEAR(all.alike.statistic, 10.6915643564356, 1e-11);
  EXPECT_NEAR(all.alike.p, 0.0135161543955726, 1e-14);
}

TEST(Pooled, OfTwoIsTheSquareOfTheirStandardisedDifference) {
  // The upper 1 % of chi-square with one degree of freedom is 6.635 (every table).
  const double apart = std::sqrt(6.635) * std::hypot(1, 2);
  const auto two = pooled(std::vector{0.0, apart}, std::vector{1.0, 2.0});
  EXPECT_NEAR(two.value, apart / 5, 1e-12);
  EXPECT_NEAR(two.alike.p, 0.01, 1e-5);
}

TEST(Pooled, OfOneIsItself) {
  const auto one = pooled(std::vector{3.0}, std::vector{0.5});
  EXPECT_EQ(one.value, 3);
  EXPECT_EQ(one.standard_error, 0.5);
  EXPECT_EQ(one.alike.p, 1);
}

TEST(Pooled, OneInAHundredIsCalledUnlikeWhereErrorsAreKnown) {
  Random random(20);
  const std::vector<double> errors{0.5, 1, 3};
  constexpr int tries = 20'000;
  int called = 0;
  for (int i = 0; i < tries; ++i) {
    std::vector<double> values;
    for (const double error : errors) values.push_back(7 + error * random.normal());
    called += pooled(values, errors).alike.p < 0.01 ? 1 : 0;
  }
  EXPECT_NEAR(called, tries / 100, 5 * std::sqrt(tries * 0.01 * 0.99));
}

TEST(Pooled, RefusesWhatHasNoErrorOrNoPartner) {
  EXPECT_THROW((void)pooled({}, {}), DomainError);
  EXPECT_THROW((void)pooled(std::vector{1.0}, std::vector{0.0}), DomainError);
  EXPECT_THROW((void)pooled(std::vector{1.0, 2.0}, std::vector{1.0}), DomainError);
  EXPECT_THROW((void)pooled(std::vector{std::nan("")}, std::vector{1.0}), DomainError);
}

}  // namespace
}  // namespace assay::inline v1::stats
