#include "assay/stats/change_posterior.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "assay/model/error.hpp"
#include "assay/stats/random.hpp"

namespace assay::stats {
namespace {

TEST(ChangePosterior, ValuesTellWhatTheoryHasOfThem) {
  // Capacity of the binary input, normal output channel (design figures: bits a pair yields).
  EXPECT_NEAR(mutual_information(0.5, 1), 0.161, 5e-4);
  EXPECT_NEAR(mutual_information(0.5, 2), 0.486, 5e-4);
  EXPECT_NEAR(mutual_information(0.5, 4), 0.913, 5e-4);
  EXPECT_NEAR(mutual_information(0.5, 1, 4), 0.486, 5e-4) << "four values are one of half the spread";
  EXPECT_NEAR(mutual_information(0.3, 40), -0.3 * std::log2(0.3) - 0.7 * std::log2(0.7), 1e-4);
  EXPECT_EQ(mutual_information(0, 2), 0);
  EXPECT_EQ(mutual_information(0.5, 0), 0);
  EXPECT_THROW(mutual_information(1.5, 1), DomainError);
}

TEST(ChangePosterior, AgreesWithBayesRuleByHand) {
  ChangePosterior posterior(3);
  posterior.add(1, 0.2);
  posterior.add(2, 1.7);
  const auto f = [](double z) { return 0.95 * std::exp(-z * z / 2) + 0.005 * std::exp(-z * z / 200); };
  const double a = f(0.2 - 2) / f(0.2), b = f(1.7 - 2) / f(1.7);
  const auto p = posterior.probabilities({.step = 2, .total = 2, .scale = 1});
  ASSERT_EQ(p.size(), 4);
  EXPECT_NEAR(p[1], a * b / (a * b + b + 1), 1e-12);
  EXPECT_NEAR(p[2], b / (a * b + b + 1), 1e-12);
  EXPECT_NEAR(p[3], 1 / (a * b + b + 1), 1e-12);
}

TEST(ChangePosterior, KnowsItsScaleDespiteOutliers) {
  ChangePosterior posterior(40);
  Random random(5);
  for (std::size_t place = 0; place <= 40; ++place)
    for (int i = 0; i < 5; ++i)
      posterior.add(place, (place > 20 ? 9 : 0) + 3 * random.normal() * (random.uniform() < 0.1 ? 30 : 1));
  EXPECT_NEAR(posterior.scale(1), 3, 1);
  EXPECT_EQ(ChangePosterior(3).scale(0.7), 0.7);
  ChangePosterior few(3);
  few.add(1, 1);
  few.add(1, 2);
  EXPECT_NEAR(few.scale(9), 4 * 1.0483, 1e-9) << "two values hardly tell how far they scatter";
  EXPECT_EQ(posterior.count(), 205);
}

/// Looks for a change by the most informative place until one is 95 % sure; the pairs that took, and whether
/// it was found.
struct Searched {
  double pairs = 0;
  int wrong = 0;
};
Searched search(std::size_t last, double effect, double wild, int searches) {
  Searched all;
  for (int s = 0; s < searches; ++s) {
    Random random(6, static_cast<std::uint64_t>(s));
    const auto at = 1 + random.below(last);
    ChangePosterior posterior(last);
    while (true) {
      const auto p = posterior.probabilities({.step = effect, .total = effect, .scale = 1});
      const auto surest = std::ranges::max_element(p) - p.begin();
      if (p[static_cast<std::size_t>(surest)] >= 0.95) {
        all.wrong += static_cast<std::size_t>(surest) == at ? 0 : 1;
        break;
      }
      std::size_t middle = 1;
      double before = p[1], next = before;
      for (std::size_t place = 2; place < last; ++place)
        if (next += p[place]; std::fabs(next - 0.5) < std::fabs(before - 0.5)) before = next, middle = place;
      const double noise = random.normal() * (random.uniform() < wild ? 10 : 1);
      posterior.add(middle, (middle >= at ? effect : 0) + noise);
    }
    all.pairs += static_cast<double>(posterior.count()) / searches;
  }
  return all;
}

TEST(ChangePosterior, FindsTheChangeInAsManyPairsAsItShould) {
  // At most 5 % wrong of 300: 15 expected at most; 36 would be chance in fewer than 1 of 10^6.
  const auto usual = search(64, 2, 0, 300);
  EXPECT_LT(usual.pairs, 13 * 1.2);
  EXPECT_LT(usual.wrong, 36);
  const auto contaminated = search(64, 2, 0.1, 300);
  EXPECT_LT(contaminated.pairs, 13 * 1.4);
  EXPECT_LT(contaminated.wrong, 36);
}

TEST(ChangePosterior, RefusesWhatMakesNoSense) {
  EXPECT_THROW(ChangePosterior(0), DomainError);
  ChangePosterior posterior(2);
  EXPECT_THROW(posterior.add(3, 1), DomainError);
  EXPECT_THROW(posterior.add(1, INFINITY), DomainError);
  EXPECT_THROW(static_cast<void>(posterior.probabilities({.step = 0})), DomainError);
}

}  // namespace
}  // namespace assay::stats
