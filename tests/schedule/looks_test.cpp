#include "assay/schedule/looks.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <vector>

#include "assay/model/error.hpp"
#include "assay/stats/random.hpp"
#include "assay/stats/walsh.hpp"

namespace assay::inline v1::schedule {
namespace {

std::vector<std::uint64_t> counts(const Boundary& boundary) {
  std::vector<std::uint64_t> c;
  for (std::size_t k = 0; k < boundary.looks().size(); ++k) c.push_back(boundary.critical_count(k));
  return c;
}

using Counts = std::vector<std::uint64_t>;

TEST(PlannedLooks, DoubleFromSevenAndTen) {
  EXPECT_EQ(planned_looks(7, 60), (std::vector{7, 10, 14, 20, 28, 40, 60}));
  EXPECT_EQ(planned_looks(7, 30), (std::vector{7, 10, 14, 20, 30}));
  EXPECT_EQ(planned_looks(7, 200), (std::vector{7, 10, 14, 20, 28, 40, 56, 80, 112, 160, 200}));
  EXPECT_EQ(planned_looks(20, 60), (std::vector{20, 28, 40, 60}));
  EXPECT_EQ(planned_looks(20, 20), std::vector{20});
  EXPECT_EQ(planned_looks(6, 6), std::vector{6});
  EXPECT_THROW(planned_looks(8, 7), DomainError);
}

TEST(CrossingChance, OfTwoLooksIsThatCountedByHand) {
  EXPECT_DOUBLE_EQ(crossing_chance(std::vector{7, 10}, Counts{1, 3}), 20.0 / 1024);
}

TEST(CrossingChance, AgreesWithGoingThroughAllSignsOfGrowingEffects) {
  const std::vector<int> looks = {5, 8, 12};
  const Counts c = {1, 4, 13};
  int crossed = 0;
  for (unsigned signs = 0; signs < 4096; ++signs) {
    unsigned t = 0;
    bool out = false;
    for (unsigned n = 1; n <= 12; ++n) {
      t += ((signs >> (n - 1)) & 1U) != 0 ? n : 0;
      for (std::size_t k = 0; k < looks.size(); ++k)
        out = out || (static_cast<unsigned>(looks[k]) == n && (t < c[k] || t > n * (n + 1) / 2 - c[k]));
    }
    crossed += out ? 1 : 0;
  }
  EXPECT_DOUBLE_EQ(crossing_chance(looks, c), crossed / 4096.0);
}

TEST(Boundary, SpendsTheErrorRateAsPlanned) {
  const Boundary thirty(planned_looks(7, 30)), sixty(planned_looks(7, 60)),
      two_hundred(planned_looks(7, 200));
  EXPECT_EQ(counts(thirty), (Counts{1, 5, 13, 38, 109}));
  EXPECT_NEAR(thirty.error_rate(), 0.04986, 5e-6);
  EXPECT_EQ(counts(sixty), (Counts{1, 4, 11, 35, 87, 212, 551}));
  EXPECT_NEAR(sixty.error_rate(), 0.04963, 5e-6);
  EXPECT_EQ(counts(two_hundred), (Counts{1, 3, 10, 31, 81, 201, 452, 1029, 2185, 4768, 7713}));
  for (const auto* boundary : {&thirty, &sixty, &two_hundred}) {
    EXPECT_LE(boundary->error_rate(), 0.05);
    EXPECT_LE(boundary->ceiling(), 0.059);
  }
}

TEST(Boundary, PValuesRunOverAllLooks) {
  const Boundary boundary(planned_looks(7, 60));
  EXPECT_NEAR(boundary.p_value(0, 0), 0.02821, 5e-6);
  EXPECT_NEAR(boundary.p_value(1, 0), 0.00610, 5e-6);
  EXPECT_NEAR(boundary.p_value(2, 0), 0.000569, 5e-7);
  EXPECT_EQ(boundary.p_value(0, 1), 1) << "at 7 rounds all must agree";
  EXPECT_EQ(boundary.p_value(6, 915), 1);
}

TEST(Boundary, PIsAtMostAlphaExactlyBelowTheCriticalCount) {
  for (const auto& looks :
       {planned_looks(7, 60), planned_looks(7, 30), std::vector{7, 10, 12}, std::vector{7}, std::vector{20}})
    for (const double alpha : {0.05, 0.01, 0.002}) {
      const Boundary boundary(looks, alpha);
      for (std::size_t k = 0; k < looks.size(); ++k) {
        const auto c = boundary.critical_count(k);
        EXPECT_EQ(c, Boundary(looks).critical_count(k, alpha));
        if (c > 0) {
          EXPECT_LE(boundary.p_value(k, c - 1), alpha) << looks[k];
        }
        EXPECT_GT(boundary.p_value(k, c), alpha) << looks[k];
      }
    }
}

TEST(Boundary, AnUnplannedEndIsALookOfItsOwn) {
  EXPECT_EQ(counts(Boundary({7, 10, 12})), (Counts{1, 7, 10}));
}

TEST(Boundary, ASingleLookIsTheFixedTest) {
  for (const int n : {6, 7, 20, 60, 150}) {
    const Boundary boundary({n});
    const stats::SignedRank null(static_cast<std::size_t>(n));
    EXPECT_EQ(boundary.critical_count(0), null.critical_count(0.05)) << n;
    EXPECT_NEAR(boundary.p_value(0, 3), null.p_two_sided(3), 1e-12) << n;
  }
}

TEST(Boundary, BeyondTwoHundredRoundsLevelsAreAdded) {
  const Boundary boundary(planned_looks(7, 1000));
  EXPECT_LE(boundary.error_rate(), 0.05);
  EXPECT_GT(boundary.error_rate(), 0.045);
}

TEST(Boundary, NoOrderOfSizesThatWasTriedCrossesMoreOften) {
  // All signs, for random sizes of 12 effects looked at after 5, 8 and 12: never more than for growing ones.
  const std::vector<int> looks = {5, 8, 12};
  const Boundary boundary(looks, 0.2);
  const auto c = counts(boundary);
  stats::Random random(6);
  for (int trial = 0; trial < 12; ++trial) {
    std::vector<double> sizes(12);
    for (auto& s : sizes) s = std::exp(2 * random.normal());
    int crossed = 0;
    for (unsigned signs = 0; signs < 4096; signs += 1) {
      std::vector<double> d;
      bool out = false;
      for (std::size_t n = 0; n < 12 && !out; ++n) {
        d.push_back(((signs >> n) & 1U) != 0 ? sizes[n] : -sizes[n]);
        const auto k = std::ranges::find(looks, static_cast<int>(n + 1)) - looks.begin();
        if (k == 3) continue;
        const stats::WalshAverages walsh(d);
        out = std::min(walsh.at_or_below(0), walsh.at_or_above(0)) < c[static_cast<std::size_t>(k)];
      }
      crossed += out ? 1 : 0;
    }
    EXPECT_LE(crossed / 4096.0, boundary.error_rate() + 1e-12) << trial;
  }
}

TEST(Boundary, RefusesLooksThatDoNotGrow) {
  EXPECT_THROW(Boundary({}), DomainError);
  EXPECT_THROW(Boundary({7, 7}), DomainError);
  EXPECT_THROW(Boundary({0}), DomainError);
  EXPECT_THROW(Boundary({7}, 1), DomainError);
}

}  // namespace
}  // namespace assay::inline v1::schedule
