#include "assay/stats/fit.hpp"

#include <gtest/gtest.h>

#include <cmath>

#include "assay/model/error.hpp"
#include "assay/stats/random.hpp"
#include "support/reference.hpp"

namespace assay::stats {
namespace {

using test::reference;

TEST(PowerLaw, AgreesWithR) {
  for (const std::string name : {"linear", "heap", "square"}) {
    const auto law = fit_power_law(reference("fit.size"), reference("fit.cost." + name));
    const auto& e = reference("fit.power." + name);
    EXPECT_AGREES(law.factor, e[0]);
    EXPECT_AGREES(law.exponent, e[1]);
    EXPECT_AGREES(law.exponent_interval.low, e[2]);
    EXPECT_AGREES(law.exponent_interval.high, e[3]);
  }
}

TEST(LeastSquares, AgreesWithRsWeightedFit) {
  for (const std::string name : {"linear", "heap", "square"}) {
    const auto &size = reference("fit.size"), &cost = reference("fit.cost." + name);
    std::vector<double> ones(size.size(), 1), squares, weights;
    for (std::size_t i = 0; i < size.size(); ++i) {
      squares.push_back(size[i] * size[i]);
      weights.push_back(1 / (cost[i] * cost[i]));
    }
    const auto fit = least_squares({ones, squares}, cost, weights);
    const auto& e = reference("fit.weighted." + name);
    EXPECT_NEAR(fit.coefficients[0], e[0], 1e-8 * std::abs(e[0]));
    EXPECT_NEAR(fit.coefficients[1], e[1], 1e-8 * std::abs(e[1]));
    EXPECT_NEAR(fit.covariance[0][1], e[2], 1e-7 * std::abs(e[2]));
    EXPECT_NEAR(fit.residual_sum, e[3], 1e-7 * e[3]);
  }
  EXPECT_THROW(least_squares({{1, 1, 1}, {2, 2, 2}}, std::vector<double>{1, 2, 3}), DomainError);
  EXPECT_THROW(least_squares({{1}}, std::vector<double>{1, 2}), DomainError);
}

TEST(Growth, NamesTheLawThatMadeTheCosts) {
  const std::vector<double> size = {100, 200, 400, 800, 1600, 3200, 6400};
  const auto named = [&](double (*cost)(double)) {
    std::vector<double> costs;
    Random random(9);
    for (const double n : size) costs.push_back(cost(n) * std::exp(0.002 * random.normal()));
    return fit_growth(size, costs).name.value_or("can't tell");
  };
  EXPECT_EQ(named([](double) { return 7.0; }), "constant");
  EXPECT_EQ(named([](double n) { return 1 + std::log(n); }), "log n");
  EXPECT_EQ(named([](double n) { return 5 + n; }), "n");
  EXPECT_EQ(named([](double n) { return n * std::log(n); }), "n log n");
  EXPECT_EQ(named([](double n) { return 1e4 + n * n; }), "n²");
  EXPECT_EQ(named([](double n) { return n * n * std::log(n); }), "n² log n");
  EXPECT_EQ(named([](double n) { return n * n * n; }), "n³");
}

TEST(Growth, FitsSizesFromKibibytesToMebibytes) {
  std::vector<double> size, cost;
  for (int i = 10; i <= 24; ++i) {
    size.push_back(std::ldexp(1.0, i));
    cost.push_back(1e-6 + 3e-9 * size.back() * (1 + 0.001 * (i % 3)));
  }
  const auto growth = fit_growth(size, cost);
  EXPECT_EQ(growth.laws.size(), 7U);
  EXPECT_EQ(growth.name, "n");
  EXPECT_NEAR(growth.laws[0].factor, 3e-9, 1e-11);
}

TEST(Growth, CantTellFromFewSizesOrMuchNoise) {
  EXPECT_FALSE(
      fit_growth(std::vector<double>{100, 200, 400, 800, 1600}, std::vector<double>{1, 2, 4, 8, 16}).name);
  const auto noisy = fit_growth(std::vector<double>{100, 200, 400, 800, 1600, 3200},
                                std::vector<double>{1, 3.5, 3, 13, 14, 60});
  EXPECT_FALSE(noisy.name) << *noisy.name;
  EXPECT_THROW(fit_growth(std::vector<double>{1, 2, 3}, std::vector<double>{1, 2, 3}), DomainError);
}

TEST(Crossing, LiesWhereTheLawsMeetAndItsIntervalCoversIt) {
  // MetricKind: 100·n against 5·n^1.5 meet at 400. Ten sizes, 3 % noise, 400 data sets: at 95 % (normal
  // quantiles on 8 degrees of freedom: about 92 %) fewer than 330 covering has a chance below 1e-8.
  const std::vector<double> size = {25, 50, 100, 200, 400, 800, 1600, 3200, 6400, 12800};
  Random random(11);
  int covered = 0;
  for (int i = 0; i < 400; ++i) {
    std::vector<double> a, b;
    for (const double n : size) {
      a.push_back(100 * n * std::exp(0.03 * random.normal()));
      b.push_back(5 * std::pow(n, 1.5) * std::exp(0.03 * random.normal()));
    }
    const auto meets = crossing(fit_power_law(size, a), fit_power_law(size, b));
    ASSERT_TRUE(meets);
    EXPECT_NEAR(meets->at, 400, 100);
    covered += meets->interval.low <= 400 && 400 <= meets->interval.high ? 1 : 0;
  }
  EXPECT_GT(covered, 330);
}

TEST(Scalability, RecoversItsOwnLaw) {
  const Scalability truth{.rate = 100, .contention = 0.05, .coherency = 0.002};
  std::vector<double> k, rates;
  for (const double threads : {1, 2, 4, 8, 16, 32}) {
    k.push_back(threads);
    rates.push_back(truth.at(threads));
  }
  const auto fit = fit_scalability(k, rates);
  EXPECT_NEAR(fit.rate, 100, 1e-6);
  EXPECT_NEAR(fit.contention, 0.05, 1e-9);
  EXPECT_NEAR(fit.coherency, 0.002, 1e-10);
  EXPECT_NEAR(fit.peak, std::sqrt(0.95 / 0.002), 1e-4);
  const auto straight = fit_scalability(std::vector<double>{1, 2, 4}, std::vector<double>{10, 20, 40});
  EXPECT_TRUE(std::isinf(straight.peak));
  EXPECT_THROW(fit_scalability(std::vector<double>{0.5, 2, 4}, std::vector<double>{1, 2, 3}), DomainError);
}

TEST(Knee, FindsTheBend) {
  EXPECT_EQ(knee(std::vector<double>{1, 2, 3, 4, 5, 6}, std::vector<double>{1, 2, 3, 3.1, 3.2, 3.3}), 2U);
  EXPECT_EQ(knee(std::vector<double>{1, 2, 3, 4, 5}, std::vector<double>{10, 3, 2, 1.5, 1}), 1U);
  EXPECT_FALSE(knee(std::vector<double>{1, 2, 3}, std::vector<double>{1, 2, 3}));
  EXPECT_THROW(knee(std::vector<double>{1, 1, 3}, std::vector<double>{1, 2, 3}), DomainError);
}

TEST(ExponentOfLaw, MatchesPowersWithAndWithoutALogarithm) {
  const std::vector<double> size = {100, 200, 400, 800};
  EXPECT_NEAR(exponent_of_law("n²", size), 2, 1e-12);
  EXPECT_EQ(exponent_of_law("constant", size), 0);
  // R: coef(lm(log(n * log(n)) ~ log(n)))[2] with n = c(100, 200, 400, 800)
  EXPECT_NEAR(exponent_of_law("n log n", size), 1.17901423, 1e-8);
  EXPECT_THROW(exponent_of_law("n!", size), DomainError);
}

}  // namespace
}  // namespace assay::stats
