#include "assay/stats/segments.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <array>
#include <cmath>

#include "assay/model/error.hpp"
#include "assay/stats/random.hpp"

namespace assay::stats {
namespace {

/// Annual flow of the Nile at Aswan, 1871–1970, in 10^8 m³ (R's datasets::Nile; Cobb 1978).
constexpr std::array<double, 100> nile = {
    1120, 1160, 963,  1210, 1160, 1160, 813,  1230, 1370, 1140, 995,  935,  1110, 994, 1020, 960,  1180,
    799,  958,  1140, 1100, 1210, 1150, 1250, 1260, 1220, 1030, 1100, 774,  840,  874, 694,  940,  833,
    701,  916,  692,  1020, 1050, 969,  831,  726,  456,  824,  702,  1120, 1100, 832, 764,  821,  768,
    845,  864,  862,  698,  845,  744,  796,  1040, 759,  781,  865,  845,  944,  984, 897,  822,  1010,
    771,  676,  649,  846,  812,  742,  801,  1040, 860,  874,  848,  890,  744,  749, 838,  1050, 918,
    986,  797,  923,  975,  815,  1020, 906,  901,  1170, 912,  746,  919,  718,  714, 740};

TEST(Segments, AgreeWithPublishedValues) {
  const auto change = pettitt_test(nile);
  EXPECT_EQ(change.statistic, 1617);
  EXPECT_EQ(change.after, 28) << "after 1898";
  EXPECT_LT(change.p, 1e-5);
  const auto parts = multiscale_segments(nile);
  ASSERT_EQ(parts.size(), 2);
  EXPECT_NEAR(static_cast<double>(parts[1].first), 28, 2);
  EXPECT_GT(parts[0].level, parts[1].level + 150);
}

TEST(Segments, EqualTheirSourcesCriticalValues) {
  EXPECT_NEAR(critical_value_of_signs(200), 1.229, 0.03);
  EXPECT_EQ(fewest_signs(8, 200), 0);
  EXPECT_EQ(fewest_signs(16, 200), 1);
  EXPECT_EQ(fewest_signs(32, 200), 7);
  EXPECT_EQ(fewest_signs(64, 200), 19);
  EXPECT_EQ(fewest_signs(128, 200), 48);
}

/// A sequence with one step in the middle, its noise drawn by `noise`.
template <class Noise>
std::vector<double> sequence(std::size_t n, double step, Random& random, const Noise& noise) {
  std::vector<double> values;
  for (std::size_t i = 0; i < n; ++i) values.push_back((i < n / 2 ? 0 : step) + noise(random));
  return values;
}

double with_outliers(Random& random) { return random.normal() * (random.uniform() < 0.05 ? 20 : 1); }

/// Student's t with three degrees of freedom.
double heavy(Random& random) {
  double squares = 0;
  for (int i = 0; i < 3; ++i) squares += std::pow(random.normal(), 2);
  return random.normal() / std::sqrt(squares / 3);
}

TEST(Segments, CutAtMostOneInTwentySequencesWithoutAChange) {
  // At most 5 % of each 200 (10 expected at most; 29 or more would be chance in fewer than 1 of 10^6).
  for (const auto noise : {with_outliers, heavy}) {
    int cut = 0;
    for (std::uint64_t i = 0; i < 200; ++i) {
      Random random(3, i);
      cut += multiscale_segments(sequence(128, 0, random, noise)).size() > 1 ? 1 : 0;
    }
    EXPECT_LT(cut, 29);
  }
}

TEST(Segments, FindAStepOfTwoDeviationsBesideOutliers) {
  int near = 0;
  for (std::uint64_t i = 0; i < 50; ++i) {
    Random random(4, i);
    const auto parts = multiscale_segments(sequence(128, 2, random, with_outliers));
    if (parts.size() != 2) continue;
    EXPECT_NEAR(parts[1].level - parts[0].level, 2, 1);
    near += std::fabs(static_cast<double>(parts[1].first) - 64) <= 3 ? 1 : 0;
  }
  EXPECT_GE(near, 40);
}

TEST(Segments, ShortOnesAreFoundByTheirCheapestPartition) {
  int found = 0;
  for (std::uint64_t i = 0; i < 50; ++i) {
    Random random(8, i);
    std::vector<double> values;
    for (int at = 0; at < 40; ++at) values.push_back((at >= 15 && at < 21 ? 5 : 0) + random.normal());
    const auto parts = optimal_partition(values);
    found += parts.size() == 3 && parts[1].first >= 14 && parts[1].end <= 22 ? 1 : 0;
  }
  EXPECT_GE(found, 45);
  std::vector<double> outlier(30, 0.0);
  for (std::size_t i = 0; i < outlier.size(); ++i) outlier[i] = i % 2 == 0 ? 0.1 : -0.1;
  outlier[12] = 50;
  EXPECT_EQ(optimal_partition(outlier).size(), 1);
}

TEST(Segments, TakeWhatIsShortOrAllAlike) {
  EXPECT_TRUE(multiscale_segments({}).empty());
  EXPECT_EQ(multiscale_segments(std::vector<double>{3}).size(), 1);
  EXPECT_EQ(multiscale_segments(std::vector<double>(50, 2.5)).size(), 1);
  EXPECT_EQ(optimal_partition(std::vector<double>(50, 2.5)).size(), 1);
  EXPECT_TRUE(optimal_partition({}).empty());
  EXPECT_EQ(pettitt_test(std::vector<double>(50, 2.5)).p, 1);
  EXPECT_THROW(multiscale_segments(std::vector<double>{1, NAN}), DomainError);
  EXPECT_THROW(pettitt_test(std::vector<double>{1}), DomainError);
}

}  // namespace
}  // namespace assay::stats
