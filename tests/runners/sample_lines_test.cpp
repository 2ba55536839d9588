#include "assay/runners/sample_lines.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

namespace assay::runners {
namespace {

using testing::HasSubstr;

TEST(FunctionWorkloads, ExpandByFunctionSettingAndMetric) {
  const auto said = parse_samples(R"x(
{"candidate":"heap","setting":{"locks":400},"metric":"time per call","unit":"s","round":1,"value":3}
{"candidate":"heap","setting":{"locks":400},"metric":"time per call","unit":"s","round":2,"value":1}
{"candidate":"heap","setting":{"locks":400},"metric":"time per call","unit":"s","round":3,"value":2}
{"candidate":"heap","setting":{"locks":400},"metric":"allocations","value":7}

{"candidate":"heap (twin)","setting":{"locks":400},"metric":"time per call","unit":"s","value":9}
{"candidate":"list","setting":{},"metric":"time per call","unit":"s","value":4})x");
  EXPECT_EQ(said.problem, "");
  ASSERT_EQ(said.groups.size(), 2);
  EXPECT_EQ(said.groups[0].setting.text(), "function=heap, locks=400");
  ASSERT_EQ(said.groups[0].values.size(), 2);
  EXPECT_EQ(said.groups[0].values[0].value, 2) << "the median of its rounds";
  EXPECT_EQ(said.groups[0].values[1].metric, "allocations");
  EXPECT_EQ(said.groups[1].setting.text(), "function=list");
}

TEST(ContestParts, SayWhichLineCannotBeTaken) {
  EXPECT_THAT(parse_samples("").problem, HasSubstr("wrote no samples"));
  EXPECT_THAT(parse_samples("{}\n").problem, HasSubstr("line 1 of its samples"));
  EXPECT_THAT(parse_samples("\nhello\n").problem,
              HasSubstr("line 2 of its samples can't be taken, it is no JSON object"));
  EXPECT_THAT(parse_samples(R"({"candidate":"a","metric":"m","value":"x"})").problem,
              HasSubstr("finite \"value\""));
}

TEST(FunctionWorkloads, UseTheCataloguesMetrics) {
  EXPECT_EQ(metric_of_samples("time per call", "s").direction, Direction::lower);
  EXPECT_EQ(metric_of_samples("barges", "barges/s").direction, Direction::higher);
  EXPECT_EQ(metric_of_samples("queue", "").direction, Direction::lower);
}

}  // namespace
}  // namespace assay::runners
