#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <memory>

#include "assay/contest/contest.hpp"
#include "assay/model/enum_names.hpp"
#include "assay/model/error.hpp"

namespace assay::contest {
namespace {

using testing::HasSubstr;

TEST(Agreement, UsesEqualityByDefault) {
  Contest contest("answers");
  contest.options().twin = false;
  contest.options().rounds_min = contest.options().rounds_max = 6;
  contest.options().budget = 0.006;
  contest.baseline("right", [] { return 17; });
  contest.candidate("wrong", [] { return 18; }).candidate("also right", [] { return 17; });
  const auto findings = contest.run().findings();
  EXPECT_EQ(findings.statuses[CellId{1}].code, StatusCode::wrong);
  EXPECT_THAT(findings.statuses[CellId{1}].detail, HasSubstr("not the baseline's: 18, expected 17"));
  EXPECT_EQ(findings.statuses[CellId{2}].code, StatusCode::ok);
}

std::string standing_of(Contest& contest) {
  contest.options().twin = false;
  contest.options().rounds_min = contest.options().rounds_max = 6;
  contest.options().budget = 0.006;
  const auto cell = contest.run().findings().statuses[CellId{1}];
  return std::string(to_string(cell.code)) + ": " + cell.detail;
}

TEST(Agreement, WithinAToleranceForNumbersAndRanges) {
  const auto say = [](std::vector<double> a, std::vector<double> b, double tolerance) {
    Contest contest("tolerance");
    contest.baseline("a", [a] { return a; }).candidate("b", [b] { return b; }).answer_tolerance(tolerance);
    return standing_of(contest);
  };
  EXPECT_THAT(say({1, 100}, {1, 100.9}, 0.01), HasSubstr("ok"));
  EXPECT_THAT(say({1, 100}, {1, 101.2}, 0.01), HasSubstr("wrong: its answer differs by 0.0118"));
  EXPECT_THAT(say({1, 100}, {1}, 0.01), HasSubstr("not as long"));
  EXPECT_THAT(say({0}, {0}, 0), HasSubstr("ok"));
  EXPECT_THAT(say({std::nan("")}, {1}, 0.5), HasSubstr("wrong"));
}

TEST(Agreement, CanBeAPredicateOrSkipped) {
  Contest predicate("predicate");
  predicate.baseline("a", [] { return 10; }).candidate("b", [] { return 12; });
  predicate.answers_equal<int>([](int a, int b) { return a % 2 == b % 2; });
  EXPECT_THAT(standing_of(predicate), HasSubstr("ok"));
  Contest free("free");
  free.baseline("a", [] { return 10; }).candidate("b", [] { return 12; }).skip_answer_check();
  EXPECT_THAT(standing_of(free), HasSubstr("ok"));
  Contest nothing("nothing");
  nothing.baseline("a", [] {}).candidate("b", [] {});
  EXPECT_THAT(standing_of(nothing), HasSubstr("ok"));
}

TEST(Agreement, TypesWithoutEqualityAndOfOtherKindsAreReported) {
  struct Opaque {
    int x;
  };
  Contest opaque("opaque");
  opaque.baseline("a", [] { return Opaque{1}; }).candidate("b", [] { return Opaque{1}; });
  EXPECT_THAT(standing_of(opaque), HasSubstr("can't be compared: their type has no =="));
  Contest mixed("mixed");
  mixed.baseline("a", [] { return 1; }).candidate("b", [] { return 1.0; });
  EXPECT_THAT(standing_of(mixed), HasSubstr("another type"));
}

TEST(Agreement, AnAnswerThatChangesIsCaughtAtTheEnd) {
  Contest contest("moody");
  auto calls = std::make_shared<int>(0);
  contest.baseline("a", [] { return 0; });
  contest.candidate("b", [calls] { return ++*calls > 1000 ? 1 : 0; });
  EXPECT_THAT(standing_of(contest),
              HasSubstr("wrong: at the end, its answer is not the baseline's: 1, expected 0"));
}

TEST(Requirement, ReadsLimitsWithTheirUnits) {
  EXPECT_DOUBLE_EQ(parse_requirement("< 2 ms").limit, 0.002);
  EXPECT_DOUBLE_EQ(parse_requirement(">=250").limit, 250);
  EXPECT_DOUBLE_EQ(parse_requirement("<= 64 MiB").limit, 64 * 1048576.0);
  EXPECT_TRUE(parse_requirement("< 2").holds(1.9));
  EXPECT_FALSE(parse_requirement("< 2").holds(2));
  EXPECT_TRUE(parse_requirement("<= 2").holds(2));
  EXPECT_FALSE(parse_requirement("> 2").holds(2));
  EXPECT_TRUE(parse_requirement(">= 2").holds(2));
  for (const auto* text : {"", "2 ms", "<", "< fast", "== 3", "<> 3"})
    EXPECT_THROW(parse_requirement(text), Error) << text;
}

}  // namespace
}  // namespace assay::contest
