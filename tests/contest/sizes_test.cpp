#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <chrono>
#include <cstdint>
#include <map>
#include <memory>
#include <string>
#include <thread>

#include "assay/contest/contest.hpp"
#include "assay/model/enum_names.hpp"
#include "support/quick_contest.hpp"

namespace assay::contest {
namespace {

using testing::HasSubstr;

TEST(Sizes, ACandidateThatGetsTooSlowLeavesLargerOnesAndThatIsReported) {
  auto contest = quick();
  contest.factor("size", {1, 500'000'000, 2'000'000'000, 2});
  contest.max_call_time(0.1);  // a stall as long, in both of two calls in a row, is what could fail this
  contest.input([](const Setting& s) { return static_cast<int>(s.integer("size")); });
  contest.baseline("constant", [](int) { return 1; });
  contest.candidate("linear", [](int n) { return units(n); });
  const auto findings = contest.run().findings();
  std::map<std::int64_t, std::string> linear;
  for (const auto id : findings.design.cells.ids())
    if (const auto& cell = findings.design.cells[id]; cell.candidate.value == 1)
      linear[cell.setting.integer("size")] =
          std::string(to_string(findings.statuses[id].code)) + " " + findings.statuses[id].detail;
  EXPECT_THAT(linear[2], HasSubstr("ok"));
  EXPECT_THAT(linear[500'000'000], HasSubstr("unsupported a call took"));
  EXPECT_THAT(linear[2'000'000'000], HasSubstr("at size=500000000, 0.1 s are allowed")) << "not even tried";
}

TEST(Sizes, ACallThatIsALittleTooSlowOnceIsNoReasonToLeave) {
  auto contest = quick();
  contest.factor("size", {1, 2});
  contest.max_call_time(0.1);
  contest.input([](const Setting& s) { return static_cast<int>(s.integer("size")); });
  contest.baseline("constant", [](int) { return 1; });
  auto calls = std::make_shared<int>(0);
  contest.candidate("cold", [calls](int n) {
    if (++*calls == 1) std::this_thread::sleep_for(std::chrono::milliseconds(200));
    return n;
  });
  const auto findings = contest.run().findings();
  for (const auto id : findings.design.cells.ids())
    EXPECT_EQ(findings.statuses[id].code, StatusCode::ok) << findings.statuses[id].detail;
}

TEST(Sizes, ACallFarBeyondTheAllowanceIsNotMadeAgain) {
  auto contest = quick();
  contest.max_call_time(0.01);
  auto calls = std::make_shared<int>(0);
  contest.baseline("constant", [] { return 1; });
  contest.candidate("endless", [calls] {
    ++*calls;
    std::this_thread::sleep_for(std::chrono::milliseconds(100));
    return 1;
  });
  const auto findings = contest.run().findings();
  EXPECT_EQ(findings.statuses[CellId{1}].code, StatusCode::unsupported);
  EXPECT_EQ(*calls, 1);
}

TEST(Sizes, GrowthDiffersFromTheSizes) {
  auto contest = quick();
  contest.factor("n", {100, 200, 400, 800, 1600, 3200});
  contest.input([](const Setting& s) { return static_cast<int>(s.integer("n")); });
  contest.baseline("linear", [](int n) { return units(n); });
  contest.candidate("flat", [](int) { return units(500); });
  const auto findings = contest.run().findings();
  ASSERT_EQ(findings.scaling.size(), 2U);
  EXPECT_NEAR(*findings.scaling[0].exponent, 1, 0.3);
  EXPECT_NEAR(*findings.scaling[1].exponent, 0, 0.3);
  ASSERT_TRUE(findings.scaling[1].crossing);
  EXPECT_GT(*findings.scaling[1].crossing, 100);
  EXPECT_LT(*findings.scaling[1].crossing, 3200);
}

}  // namespace
}  // namespace assay::contest
