#include <gtest/gtest.h>

#include <cmath>
#include <vector>

#include "assay/judge/forecast.hpp"
#include "assay/judge/judge.hpp"
#include "assay/schedule/interim_looks.hpp"
#include "support/series.hpp"

namespace assay::judge {
namespace {

using test::family;
using test::normal_effects;
using test::series_of;

TEST(RoundsNeeded, TellsWhatIsDecidedSoonFromWhatHardlyEverIs) {
  const schedule::StoppingBoundary planned(schedule::planned_looks(8, 60));
  const auto last = planned.critical_count(6);
  const auto chance = [&](double effect, double sd) {
    stats::Random random(11);
    double sum = 0;
    for (int i = 0; i < 20; ++i) {
      const auto s = series_of(normal_effects(random, 20, effect, sd));
      sum += chance_of(PairedTest(s.baseline, s.candidate, family(0.5).options), 60,
                       [&](const PairedTest& e) { return e.would_decide(last, last); });
    }
    return sum / 20;
  };
  EXPECT_GT(chance(3, 2), 0.95);
  EXPECT_LT(chance(0.1, 6), 0.2) << "twelve times as noisy as the margin is wide";
  EXPECT_GT(chance(1.5, 3), 0.3);
}

TEST(RoundsNeeded, PricesWithinAFactorOfTwoOnTheAverage) {
  // Effect of half a standard deviation: half of all campaigns settle it by 40 rounds, half of them later.
  stats::Random random(12);
  double sum = 0;
  constexpr int campaigns = 40;
  for (int i = 0; i < campaigns; ++i) {
    const auto s = series_of(normal_effects(random, 14, 1, 2));
    const auto price = rounds_needed(PairedTest(s.baseline, s.candidate, family(0.1).options), 8, 0.05, 0.05);
    ASSERT_GT(price.rounds, 14);
    sum += std::log(static_cast<double>(price.rounds));
  }
  const double typical = std::exp(sum / campaigns);
  EXPECT_GT(typical, 20);
  EXPECT_LT(typical, 120);
}

}  // namespace
}  // namespace assay::judge
