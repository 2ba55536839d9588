#include "assay/schedule/interim_looks.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <span>
#include <utility>
#include <vector>

#include "assay/model/error.hpp"
#include "assay/stats/clipped_signed_rank.hpp"
#include "assay/stats/null_distribution.hpp"
#include "assay/stats/random.hpp"

namespace assay::schedule {
namespace {

std::vector<std::uint64_t> counts(const StoppingBoundary& boundary) {
  std::vector<std::uint64_t> c;
  for (std::size_t k = 0; k < boundary.looks().size(); ++k) c.push_back(boundary.critical_count(k));
  return c;
}

using Counts = std::vector<std::uint64_t>;

TEST(PlannedLooks, BeginAtEightAndDouble) {
  EXPECT_EQ(planned_looks(8, 60), (std::vector{8, 10, 14, 20, 28, 40, 60}));
  EXPECT_EQ(planned_looks(7, 60), planned_looks(8, 60));
  EXPECT_EQ(planned_looks(8, 30), (std::vector{8, 10, 14, 20, 30}));
  EXPECT_EQ(planned_looks(8, 9), std::vector{9});
  EXPECT_EQ(planned_looks(8, 200), (std::vector{8, 10, 14, 20, 28, 40, 56, 80, 112, 160, 200}));
  EXPECT_EQ(planned_looks(20, 60), (std::vector{20, 28, 40, 60}));
  EXPECT_EQ(planned_looks(20, 20), std::vector{20});
  EXPECT_EQ(planned_looks(6, 6), std::vector{6});
  EXPECT_THROW(planned_looks(9, 8), DomainError);
}

TEST(Looks, ComeSoonerWithRepeats) {
  EXPECT_EQ(planned_looks(8, 60, {1, 1}), planned_looks(8, 60));
  EXPECT_EQ(planned_looks(8, 60, {9, 9}).front(), 2);
  EXPECT_EQ(planned_looks(8, 60, {1, 9}), (std::vector{3, 5, 8, 10, 14, 20, 28, 40, 60}))
      << "three rounds of one beside nine: p 0.002";
  EXPECT_EQ(planned_looks(8, 60, {1, 4}).front(), 5) << "three rounds of one beside four: p 0.016";
  EXPECT_EQ(planned_looks(8, 60, {2, 1}).front(), 5);
  EXPECT_EQ(planned_looks(20, 60, {9, 1}).front(), 20) << "asked for";
  EXPECT_EQ(planned_looks(7, 7, {9, 1}), std::vector{7}) << "a fixed number";
  EXPECT_EQ(planned_looks(4, 6, {9, 1}), (std::vector{5, 6})) << "at least four are asked for";
  for (const Replication repeats : {Replication{1, 9}, Replication{9, 1}, Replication{3, 9}}) {
    const auto looks = planned_looks(8, 60, repeats);
    const StoppingBoundary boundary(looks, 0.05, repeats);
    EXPECT_LE(boundary.error_rate(), 0.05);
    EXPECT_GT(boundary.error_rate(), 0.02);
    EXPECT_GE(boundary.critical_count(0), 1U) << "the first look can decide";
    for (std::size_t k = 0; k < looks.size(); ++k) {
      const auto c = boundary.critical_count(k);
      if (c > 0) {
        EXPECT_LE(boundary.p_value(k, c - 1), 0.05) << k;
      }
      EXPECT_GT(boundary.p_value(k, c), 0.05) << k;
    }
    const FinalLook closing(boundary, 1, looks[0] + 1);
    EXPECT_GE(closing.critical_count(0.05), boundary.critical_count(0));
  }
}

TEST(Boundary, SpendsTheErrorRateAsPlanned) {
  // Counts and sums worked out by a program of its own, in exact fractions.
  const StoppingBoundary thirty(planned_looks(8, 30)), sixty(planned_looks(8, 60));
  EXPECT_EQ(counts(thirty), (Counts{1, 3, 9, 31, 128}));
  EXPECT_NEAR(thirty.error_rate(), 0.04970397, 5e-8);
  EXPECT_EQ(counts(sixty), (Counts{1, 2, 8, 29, 76, 193, 618}));
  EXPECT_NEAR(sixty.error_rate(), 0.04996877, 5e-8);
  EXPECT_EQ(counts(StoppingBoundary(planned_looks(8, 60), 0.04)), (Counts{1, 2, 7, 27, 73, 187, 602}));
  EXPECT_EQ(counts(StoppingBoundary(planned_looks(8, 60), 0.02)), (Counts{0, 1, 6, 24, 68, 178, 580}));
  EXPECT_EQ(counts(StoppingBoundary(planned_looks(8, 60), 0.01)), (Counts{0, 0, 4, 21, 62, 167, 554}));
  EXPECT_EQ(counts(StoppingBoundary(planned_looks(8, 60), 0.005)), (Counts{0, 0, 2, 17, 55, 155, 526}));
  EXPECT_EQ(counts(StoppingBoundary(planned_looks(8, 60), 0.00125)), (Counts{0, 0, 0, 11, 44, 134, 476}));
  EXPECT_EQ(counts(StoppingBoundary(planned_looks(8, 60), 0.00005)), (Counts{0, 0, 0, 2, 22, 92, 376}));
}

TEST(Boundary, KeepsHalfOfTheErrorRateForTheLastLook) {
  for (const int max : {20, 30, 60, 200, 1000, 100'000}) {
    const StoppingBoundary boundary(planned_looks(8, max));
    const auto last = boundary.looks().size() - 1;
    const auto own = null_distribution(max).p_two_sided(boundary.critical_count(last) - 1);
    EXPECT_GT(own, 0.024) << max;
    EXPECT_LT(own, 0.036) << max << ": what the early looks can't use";
    EXPECT_GE(boundary.critical_count(0), 1U) << "eight that agree are enough";
    EXPECT_NEAR(boundary.share_of(last), 0.5, 1e-12);
  }
}

TEST(Boundary, KeepsHalfOfTheErrorForTheClosingLook) {
  const StoppingBoundary open(planned_looks(8, 100'000));
  for (const int n : {9, 13, 25, 60, 100, 422, 3000}) {
    std::size_t taken = 0;
    while (open.looks()[taken] < n) ++taken;
    const auto critical = FinalLook(open, taken, n).critical_count(0.05);
    const auto below = null_distribution(n).p_two_sided(critical),
               own = null_distribution(n).p_two_sided(critical - 1);
    EXPECT_GT(below, 0.025) << n;
    EXPECT_LT(own, 0.05) << n;
  }
}

TEST(Boundary, PValuesRunOverAllLooks) {
  const StoppingBoundary boundary(planned_looks(8, 60));
  EXPECT_NEAR(boundary.p_value(0, 0), 0.03828056, 5e-9);
  EXPECT_NEAR(boundary.p_value(1, 0), 0.01516719, 5e-9);
  EXPECT_NEAR(boundary.p_value(2, 0), 0.00166399, 5e-9);
  EXPECT_NEAR(boundary.p_value(1, 1), 0.03828056, 5e-9);
  EXPECT_NEAR(boundary.p_value(3, 30), 0.06356815, 5e-9);
  EXPECT_NEAR(boundary.p_value(3, 31), 0.07980374, 5e-9);
  EXPECT_NEAR(boundary.p_value(6, 540), 0.00713934, 5e-9);
  EXPECT_EQ(boundary.p_value(6, 915), 1);
  EXPECT_DOUBLE_EQ(boundary.p_value(3, 30),
                   boundary.p_value_of_level(3, null_distribution(20).p_two_sided(30)))
      << "of another test with the same p";
}

TEST(Boundary, PIsAtMostAlphaExactlyBelowTheCriticalCount) {
  for (const auto& looks :
       {planned_looks(8, 60), planned_looks(8, 30), std::vector{7, 10, 12}, std::vector{7}, std::vector{20}})
    for (const double alpha : {0.05, 0.01, 0.002}) {
      const StoppingBoundary boundary(looks, alpha);
      for (std::size_t k = 0; k < looks.size(); ++k) {
        const auto c = boundary.critical_count(k);
        EXPECT_EQ(c, StoppingBoundary(looks).critical_count(k, alpha));
        if (c > 0) {
          EXPECT_LE(boundary.p_value(k, c - 1), alpha) << looks[k];
        }
        EXPECT_GT(boundary.p_value(k, c), alpha) << looks[k];
      }
    }
}

TEST(FinalLook, GetsWhatTheLooksTakenHaveLeft) {
  // 2F₁₂(13) = 174/4096 would leave too little for 2F₁₀(1) + 2F₈(0) = 4/1024 + 2/256: 5.42 % together; with
  // 2F₁₂(12) = 140/4096 it is 4.59 %.
  const StoppingBoundary planned(planned_looks(8, 60));
  EXPECT_EQ(FinalLook(planned, 2, 12).critical_count(0.05), 13U);
  EXPECT_EQ(FinalLook(planned, 3, 17).critical_count(0.05), 33U);
  EXPECT_EQ(FinalLook(planned, 4, 24).critical_count(0.05), 76U);
  EXPECT_EQ(FinalLook(StoppingBoundary({60}), 0, 30).critical_count(0.05),
            stats::SignedRank(30).critical_count(0.05))
      << "nothing was spent";
}

TEST(FinalLook, PIsAtMostAlphaExactlyBelowTheCriticalCount) {
  const StoppingBoundary planned(planned_looks(8, 60));
  for (const auto& [taken, n] :
       std::vector<std::pair<std::size_t, int>>{{0, 6}, {1, 8}, {2, 12}, {4, 24}, {6, 55}}) {
    const FinalLook closing(planned, taken, n);
    double before = 0;
    for (std::uint64_t t = 0; t < 40; ++t) {
      EXPECT_GE(closing.p_value(t), before);
      before = closing.p_value(t);
    }
    for (const double alpha : {0.05, 0.01, 0.002}) {
      const auto c = closing.critical_count(alpha);
      if (c > 0) {
        EXPECT_LE(closing.p_value(c - 1), alpha);
      }
      EXPECT_GT(closing.p_value(c), alpha);
      // Valid at every level: what the looks taken spend there and this one's own level stay within it.
      double spent = c > 0 ? stats::SignedRank(static_cast<std::size_t>(n)).p_two_sided(c - 1) : 0;
      for (std::size_t k = 0; k < taken; ++k)
        if (const auto its = planned.critical_count(k, alpha); its > 0)
          spent += stats::SignedRank(static_cast<std::size_t>(planned.looks()[k])).p_two_sided(its - 1);
      EXPECT_LE(spent, alpha * (1 + 1e-12)) << n;
    }
  }
}

TEST(ClosingLook, CostsLittleForALongCampaign) {
  const StoppingBoundary planned(planned_looks(8, 100000));
  const FinalLook closing(planned, 20, 7500);
  EXPECT_LE(closing.p_value(0), 0.05);
  EXPECT_GT(closing.critical_count(0.05), 0U);
}

TEST(Boundary, ASingleLookIsTheFixedTest) {
  for (const int n : {6, 7, 20, 60, 150}) {
    const StoppingBoundary boundary({n});
    const stats::SignedRank null(static_cast<std::size_t>(n));
    EXPECT_EQ(boundary.critical_count(0), null.critical_count(0.05)) << n;
    EXPECT_NEAR(boundary.p_value(0, 3), null.p_two_sided(3), 1e-12) << n;
  }
}

TEST(Boundary, HoldsForManyLooks) {
  const StoppingBoundary boundary(planned_looks(8, 1000));
  EXPECT_LE(boundary.error_rate(), 0.05);
  EXPECT_GT(boundary.error_rate(), 0.03);
}

TEST(Boundary, HoldsWhateverTheSizesAndHoweverRoundsAreWeighed) {
  // All signs of 12 effects, looked at after 5, 8 and 12 rounds by the clipped test: never more than the
  // bound.
  const std::vector<int> looks = {5, 8, 12};
  const StoppingBoundary boundary(looks, 0.2);
  const auto c = counts(boundary);
  stats::Random random(6);
  for (int trial = 0; trial < 12; ++trial) {
    std::vector<double> a(12), b(12);
    for (std::size_t r = 0; r < 12; ++r) {
      a[r] = std::exp(2 * random.normal());
      b[r] = std::exp(2 * random.normal());
    }
    int crossed = 0;
    for (unsigned swap = 0; swap < 4096; ++swap) {
      auto x = a, y = b;
      for (std::size_t r = 0; r < 12; ++r)
        if ((swap >> r & 1U) != 0) std::swap(x[r], y[r]);
      bool out = false;
      for (std::size_t k = 0; k < looks.size() && !out; ++k) {
        const auto n = static_cast<std::size_t>(looks[k]);
        out = stats::ClippedSignedRank(std::span(x).first(n), std::span(y).first(n)).count(0) < c[k];
      }
      crossed += out ? 1 : 0;
    }
    EXPECT_LE(crossed / 4096.0, boundary.error_rate() + 1e-12) << trial;
  }
}

TEST(Boundary, RefusesLooksThatDoNotGrow) {
  EXPECT_THROW(StoppingBoundary({}), DomainError);
  EXPECT_THROW(StoppingBoundary({7, 7}), DomainError);
  EXPECT_THROW(StoppingBoundary({0}), DomainError);
  EXPECT_THROW(StoppingBoundary({7}, 1), DomainError);
}

}  // namespace
}  // namespace assay::schedule
