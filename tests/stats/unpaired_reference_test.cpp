#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "assay/model/error.hpp"
#include "assay/stats/contingency.hpp"
#include "assay/stats/hodges_lehmann.hpp"
#include "assay/stats/random.hpp"
#include "assay/stats/rank_sum.hpp"
#include "support/reference.hpp"

namespace assay::stats {
namespace {

using test::reference;

const auto& x(const std::string& name) { return reference("x." + name); }
const auto& y(const std::string& name) { return reference("y." + name); }

TEST(MannWhitney, AgreesWithRTiesAndAll) {
  for (const std::string name : {"tiny", "small", "ties", "pain", "extreme", "medium"}) {
    SCOPED_TRACE(name);
    const auto result = mann_whitney(x(name), y(name));
    EXPECT_TRUE(result.exact);
    EXPECT_AGREES(result.p, reference("mannwhitney." + name)[0]);
    EXPECT_AGREES(mann_whitney(y(name), x(name)).p, result.p);
  }
  const auto large = mann_whitney(x("large"), y("large"));
  EXPECT_FALSE(large.exact);
  EXPECT_AGREES(large.p, reference("mannwhitney.large")[0]);
  EXPECT_EQ(mann_whitney(x("equal"), y("equal")).p, 1);
}

TEST(Shift, EstimateAndIntervalAgreeWithR) {
  for (const std::string name : {"tiny", "small", "medium"}) {
    SCOPED_TRACE(name);
    const auto& expected = reference("shift." + name);
    EXPECT_AGREES(shift_estimate(x(name), y(name)), expected[0]);
    const auto interval = shift_interval(x(name), y(name), 0.95);
    if (name == "tiny") {
      EXPECT_TRUE(std::isinf(interval.low))
          << "3 and 4 values can't bound it at 95 %; R gives the whole range";
    } else {
      EXPECT_AGREES(interval.low, expected[1]);
      EXPECT_AGREES(interval.high, expected[2]);
    }
  }
}

TEST(Shift, SelectsAsSortingAllDifferencesDoes) {
  for (std::uint64_t seed = 1; seed <= 40; ++seed) {
    Random random(seed);
    std::vector<double> a(1 + seed % 9), b(1 + seed % 7), all;
    for (auto& v : a) v = static_cast<double>(random.below(6));
    for (auto& v : b) v = random.normal();
    for (const double p : a)
      for (const double q : b) all.push_back(p - q);
    std::ranges::sort(all);
    const double middle =
        all.size() % 2 == 1 ? all[all.size() / 2] : 0.5 * all[all.size() / 2 - 1] + 0.5 * all[all.size() / 2];
    EXPECT_EQ(shift_estimate(a, b), middle);
  }
}

TEST(BrunnerMunzel, AgreesWithThePrintedExample) {
  const auto result = brunner_munzel(x("pain"), y("pain"));
  const auto& expected = reference("brunnermunzel.pain");
  EXPECT_NEAR(result.statistic, expected[0], 5e-5);
  EXPECT_NEAR(result.p, expected[2], 5e-7);
  EXPECT_EQ(brunner_munzel(x("tiny"), std::vector<double>{9, 10, 11}).p, 0) << "complete separation";
  EXPECT_EQ(brunner_munzel(x("equal"), y("equal")).p, 1);
}

TEST(FisherExact, AgreesWithR) {
  EXPECT_AGREES(fisher_exact(3, 20, 9, 22).p, reference("fisher.3.20.9.22")[0]);
  EXPECT_AGREES(fisher_exact(0, 10, 4, 10).p, reference("fisher.0.10.4.10")[0]);
  EXPECT_AGREES(fisher_exact(1, 1000, 12, 900).p, reference("fisher.1.1000.12.900")[0]);
  EXPECT_AGREES(fisher_exact(5, 5, 0, 4).p, reference("fisher.5.5.0.4")[0]);
  EXPECT_EQ(fisher_exact(0, 10, 0, 12).p, 1);
  EXPECT_THROW(fisher_exact(3, 2, 0, 1), DomainError);
}

TEST(UnpairedTests, RefuseBadInput) {
  const std::vector<double> one = {1}, nan = {1, std::nan("")}, none;
  EXPECT_THROW(mann_whitney(none, one), DomainError);
  EXPECT_THROW(mann_whitney(one, nan), DomainError);
  EXPECT_THROW(brunner_munzel(one, one), DomainError);
  EXPECT_THROW(shift_interval(one, one, 1.5), DomainError);
}

}  // namespace
}  // namespace assay::stats
