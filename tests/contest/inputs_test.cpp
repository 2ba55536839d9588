#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <chrono>
#include <memory>
#include <set>
#include <stdexcept>
#include <string>
#include <thread>
#include <vector>

#include "assay/contest/contest.hpp"
#include "assay/model/error.hpp"
#include "support/message.hpp"
#include "support/plans.hpp"
#include "support/quick_contest.hpp"

namespace assay::contest {
namespace {

using test::finding_on;
using test::message_of;
using testing::HasSubstr;

TEST(Contest, TheInputIsSharedAndMadeAnewByRound) {
  int made = 0;
  auto contest = quick();
  contest.factor("size", {10, 20});
  contest.input([&](const Setting& s) {
    ++made;
    return std::vector<int>(static_cast<std::size_t>(s.integer("size")), 1);
  });
  std::set<const void*> by_a, by_b;
  contest.baseline("a", [&](const std::vector<int>& v) { return by_a.insert(&v), v.size(); });
  contest.candidate("b", [&](const std::vector<int>& v) { return by_b.insert(&v), v.size(); });
  const auto findings = contest.run().findings();
  EXPECT_GT(made, 3) << "once to look at its type, once for each size, and then by round";
  EXPECT_EQ(by_a, by_b);
  EXPECT_EQ(findings.design.cells.size(), 4U);
}

TEST(Contest, AnInputThatTakesLongIsKept) {
  int made = 0;
  auto contest = quick();
  contest.input([&] {
    ++made;
    std::this_thread::sleep_for(std::chrono::milliseconds(30));
    return 3;
  });
  contest.baseline("a", units).candidate("b", units);
  contest.run();
  EXPECT_EQ(made, 2) << "once to look at its type: a tenth of all slices is less than another would take";
}

TEST(Contest, AnInputThatCantBeMadeAgainIsKept) {
  int made = 0;
  auto contest = quick();
  contest.input([&] {
    if (++made > 2) throw std::runtime_error("no more of these");
    return 30;
  });
  contest.baseline("a", units).candidate("b", units);
  EXPECT_EQ(contest.run().findings().rounds, 7U);
  EXPECT_EQ(made, 3) << "to look at its type, to begin with, and once in vain";
}

TEST(Contest, FunctionsThatConsumeTheirInputGetAFreshCopyForEachCall) {
  auto contest = quick();
  contest.input([] { return std::vector<int>{3, 1, 2}; });
  int stale = 0;
  const auto check = [&](const std::vector<int>& v) { stale += v == std::vector<int>{3, 1, 2} ? 0 : 1; };
  contest.baseline("by value", [&](std::vector<int> v) { return check(v), v.clear(), 1; });
  contest.candidate("by reference", [&](std::vector<int>& v) { return check(v), v.clear(), 1; });
  contest.candidate("by rvalue", [&](std::vector<int>&& v) {
    check(v);
    const auto mine = std::move(v);
    return 1;
  });
  const auto findings = contest.run().findings();
  EXPECT_EQ(stale, 0);
  EXPECT_EQ(findings.findings.size() % 2, 0U);
}

TEST(Contest, InputsThatCannotBeCopiedAreMadeAnew) {
  auto contest = quick();
  contest.input([] { return std::make_unique<int>(5); });
  int empty = 0;
  const auto take = [&](std::unique_ptr<int> p) { return empty += p ? 0 : 1, *p; };
  contest.baseline("a", take).candidate("b", take);
  const auto findings = contest.run().findings();
  EXPECT_EQ(empty, 0);
  EXPECT_EQ(findings.statuses[CellId{1}].code, StatusCode::ok) << findings.statuses[CellId{1}].detail;
}

}  // namespace
}  // namespace assay::contest
