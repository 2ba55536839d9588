#include "assay/stats/log_histogram.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <vector>

#include "assay/model/error.hpp"
#include "assay/stats/random.hpp"

namespace assay::stats {
namespace {

std::vector<double> latencies(std::size_t count, unsigned seed) {
  Random random(seed);
  std::vector<double> values;
  for (std::size_t i = 0; i < count; ++i) values.push_back(0.002 * std::exp(random.normal()));
  return values;
}

TEST(LogHistogram, TellsQuantilesWithinHalfABucket) {
  auto values = latencies(5000, 1);
  LogHistogram histogram;
  for (const double value : values) histogram.add(value);
  std::ranges::sort(values);
  for (const double p : {0.0002, 0.5, 0.9, 0.99, 0.999, 1.0}) {
    const auto rank = static_cast<std::size_t>(std::ceil(p * 5000 - 1e-9));
    EXPECT_NEAR(*histogram.quantile(p) / values[rank - 1], 1, 0.0028) << p;
  }
}

TEST(LogHistogram, PartsMergeIntoTheWhole) {
  LogHistogram whole, merged;
  for (unsigned part = 0; part < 4; ++part) {
    LogHistogram one;
    for (const double value : latencies(300, part)) {
      whole.add(value);
      one.add(value);
    }
    merged.merge(LogHistogram::of_text(one.text()));
  }
  EXPECT_EQ(merged.text(), whole.text());
  EXPECT_EQ(merged.count(), 1200U);
}

TEST(LogHistogram, CountsWhatLiesAboveAllAsTheLargest) {
  LogHistogram histogram;
  histogram.add(1, 90);
  EXPECT_NEAR(*histogram.quantile(0.9, 10), 1, 0.003);
  EXPECT_FALSE(histogram.quantile(0.91, 10));
  EXPECT_FALSE(LogHistogram().quantile(0.5));
}

TEST(LogHistogram, TextReadsBack) {
  LogHistogram histogram;
  for (const double value : {0.25, 0.25, 1.0, 2.0}) histogram.add(value);
  for (const double value : {0.0, -1.0, std::nan(""), HUGE_VAL}) histogram.add(value);
  EXPECT_EQ(histogram.text(), "-256 2 256 1 128 1");
  EXPECT_EQ(LogHistogram::of_text(histogram.text()).text(), histogram.text());
  EXPECT_EQ(LogHistogram::of_text("").count(), 0U);
  for (const char* damaged : {"x", "1", "1 0", "5 1 0 1", "5 1 -3 1", "1 -1", "999999999 1", "1 1 x"})
    EXPECT_THROW(LogHistogram::of_text(damaged), Error) << damaged;
}

}  // namespace
}  // namespace assay::stats
