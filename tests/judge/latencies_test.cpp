#include "assay/judge/latencies.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <vector>

#include "assay/stats/random.hpp"

namespace assay::judge {
namespace {

/// Rounds of 300 requests each, whose latencies have something in common.
std::vector<RoundLatencies> rounds_of(stats::Random& random, std::size_t rounds, double slower) {
  std::vector<RoundLatencies> all(rounds);
  for (auto& round : all) {
    const double mood = 0.05 * random.normal();
    for (int i = 0; i < 300; ++i)
      round.latencies.add(0.001 * slower * std::exp(mood + 0.4 * random.normal()));
  }
  return all;
}

/// 40 pairs of servers: at a coverage of 90 % more than 16 misses have a chance below 1e-6.
TEST(PooledLatency, CoversTheChangeOfAQuantileThatNoRoundHasEnoughRequestsFor) {
  stats::Random random(61);
  int missed = 0;
  for (int pair = 0; pair < 40; ++pair) {
    const auto a = rounds_of(random, 10, 1), b = rounds_of(random, 10, 1.2);
    const auto p99 = pooled_latency(a, b, 0.99);
    ASSERT_TRUE(p99) << "three thousand requests have thirty beyond";
    EXPECT_NEAR(p99->candidate / p99->baseline, p99->effect.value, 1e-12);
    missed += p99->interval.contains(1.2) ? 0 : 1;
  }
  EXPECT_LE(missed, 16);
}

TEST(PooledLatency, CountsFailedRequestsAsTheSlowest) {
  stats::Random random(62);
  auto a = rounds_of(random, 8, 1), b = a;
  const auto alike = pooled_latency(a, b, 0.9);
  ASSERT_TRUE(alike);
  EXPECT_EQ(alike->effect.value, 1);
  EXPECT_EQ(alike->interval.low, 1) << "the same requests in every draw";
  for (auto& round : b) round.failed = 15;
  EXPECT_GT(pooled_latency(a, b, 0.9)->effect.value, 1.05);
  for (auto& round : b) round.failed = 100;
  EXPECT_FALSE(pooled_latency(a, b, 0.9)) << "a tenth failed: there is no such latency";
}

TEST(PooledLatency, NeedsRoundsAndRequestsBeyond) {
  stats::Random random(63);
  const auto seven = rounds_of(random, 7, 1), eight = rounds_of(random, 8, 1);
  EXPECT_FALSE(pooled_latency(seven, seven, 0.5));
  EXPECT_TRUE(pooled_latency(eight, eight, 0.99));
  EXPECT_FALSE(pooled_latency(eight, eight, 0.999));
}

}  // namespace
}  // namespace assay::judge
