#include "assay/check/extract.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "assay/model/error.hpp"

namespace assay::check {
namespace {

using testing::HasSubstr;

PlannedMetric by_pattern(const std::string& pattern) {
  return {.metric = {.name = "rate"}, .from = "stdout", .pattern = pattern};
}

PlannedMetric by_pointer(const std::string& pointer) {
  return {.metric = {.name = "rate"}, .from = "stderr", .json = pointer};
}

std::vector<double> values(const Extracted& found) {
  std::vector<double> all;
  for (const auto& one : found.occurrences) all.push_back(one.value);
  return all;
}

const std::string log = "start\nrate 10.5\nrate 1e3 \nnoise\nrate -2\n";

TEST(Extract, FindsEveryMatchOfThePattern) {
  EXPECT_EQ(values(extract(by_pattern("^rate ([-0-9.e]+)"), log)), (std::vector<double>{10.5, 1000, -2}));
}

TEST(Extract, ATimeBesideEachValueIsKept) {
  const auto found =
      extract(by_pattern(R"(^(?P<at>[0-9.]+)s load ([0-9]+))"), "0.5s load 3\n1.25s load 4\nload 9\n");
  ASSERT_EQ(found.occurrences.size(), 2U);
  EXPECT_EQ(found.occurrences[1].at, 1.25);
  EXPECT_EQ(found.occurrences[1].value, 4);
  EXPECT_EQ(extract(by_pattern("([0-9]+) at (?P<at>[0-9]+)"), "7 at 9").occurrences.at(0).at, 9);
}

TEST(Extract, NoMatchIsAProblemReportedWithTheHead) {
  EXPECT_THAT(extract(by_pattern("speed ([0-9]+)"), log).problem,
              HasSubstr("rate: stdout nothing matches its pattern, which begins \"start\""));
  EXPECT_THAT(extract(by_pattern("x([0-9])"), "").problem, HasSubstr("which is empty"));
}

TEST(Extract, RefusesWhatIsNotANumber) {
  EXPECT_THAT(extract(by_pattern("rate (.*)"), "rate fast\n").problem,
              HasSubstr("found \"fast\", which is not a number"));
  EXPECT_THAT(extract(by_pattern("rate (.*)"), "rate inf\n").problem, HasSubstr("not a number"));
}

TEST(Extract, EmptyMatchesComeToAnEnd) {
  EXPECT_FALSE(extract(by_pattern("([0-9]*)"), "ab").problem.empty());
}

TEST(Extract, AJsonPointerLeadsToANumberOrAList) {
  const std::string document = R"({"stats": {"rate": 5.5, "all": [1, 2, 3.5], "name": "x", "a/b": 1}})";
  EXPECT_EQ(values(extract(by_pointer("/stats/rate"), document)), std::vector<double>{5.5});
  EXPECT_EQ(values(extract(by_pointer("/stats/all"), document)), (std::vector<double>{1, 2, 3.5}));
  EXPECT_EQ(values(extract(by_pointer("/stats/all/2"), document)), std::vector<double>{3.5});
  EXPECT_EQ(values(extract(by_pointer("/stats/a~1b"), document)), std::vector<double>{1});
  EXPECT_THAT(extract(by_pointer("/stats/none"), document).problem, HasSubstr("has nothing at /stats/none"));
  EXPECT_THAT(extract(by_pointer("/stats/all/x"), document).problem, HasSubstr("has nothing at"));
  EXPECT_THAT(extract(by_pointer("/stats/name"), document).problem, HasSubstr("is not a number"));
  EXPECT_THAT(extract(by_pointer("/stats"), "no json").problem, HasSubstr("is not JSON, which begins"));
  EXPECT_THAT(extract(by_pointer("/x"), R"({"x": []})").problem, HasSubstr("empty list"));
}

TEST(LeadIn, LeavesOutTheFirstSecondsOrTheFirstValues) {
  const std::vector<Match> timed = {
      {.at = 0.5, .value = 1}, {.at = 2.0, .value = 2}, {.at = 3.0, .value = 3}};
  EXPECT_EQ(drop_lead_in({}, timed).size(), 3U);
  EXPECT_EQ(drop_lead_in(parse_lead_in("2 s"), timed).front().value, 2);
  EXPECT_EQ(drop_lead_in(parse_lead_in("2"), timed).front().value, 3);
  EXPECT_TRUE(drop_lead_in(parse_lead_in("9 s"), timed).empty());
  for (const char* text : {"2 s", "150 ms", "20"})
    EXPECT_EQ(parse_lead_in(to_string(parse_lead_in(text))), parse_lead_in(text));
  for (const char* text : {"", "soon", "-3", "0", "2.5"})
    EXPECT_THROW((void)parse_lead_in(text), Error) << text;
}

TEST(PickOne, StandsForAll) {
  const std::vector<Match> all = {{{}, 4}, {{}, 1}, {{}, 3}, {{}, 10}};
  const auto picked = [&](const char* how) { return pick_one(parse_aggregate(how), all); };
  EXPECT_EQ(picked("first"), 4);
  EXPECT_EQ(picked("last"), 10);
  EXPECT_EQ(picked("min"), 1);
  EXPECT_EQ(picked("max"), 10);
  EXPECT_EQ(picked("sum"), 18);
  EXPECT_EQ(picked("mean"), 4.5);
  EXPECT_EQ(picked("median"), 3.5);
  EXPECT_NEAR(picked("q25"), 1 + 2 * (5.0 / 12), 1e-12) << "R: quantile(c(4,1,3,10), .25, type = 8)";
  EXPECT_EQ(picked("q100"), 10);
}

TEST(ParsePick, ReadsWhatItWritesAndRefusesTheRest) {
  for (const auto* text : {"first", "median", "sum", "q99.9", "q0"})
    EXPECT_EQ(to_string(parse_aggregate(text)), text);
  for (const auto* text : {"", "middle", "q", "q101", "q-1", "q9x"})
    EXPECT_THROW(parse_aggregate(text), Error) << text;
}

TEST(ProblemOf, PatternsAndPointersThatCannotServe) {
  EXPECT_EQ(pattern_error("a ([0-9]+)"), "");
  EXPECT_EQ(pattern_error("(?P<at>x) (y)"), "");
  EXPECT_THAT(pattern_error("no group"), HasSubstr("has 0 groups"));
  EXPECT_THAT(pattern_error("(a)(b)"), HasSubstr("has 2 groups"));
  EXPECT_THAT(pattern_error("(?P<at>x)"), HasSubstr("has 1 groups"));
  EXPECT_THAT(pattern_error("(a"), HasSubstr("not a regular expression"));
  EXPECT_EQ(pointer_error("/a/b~0c"), "");
  EXPECT_THAT(pointer_error("a"), HasSubstr("begins with /"));
  EXPECT_THAT(pointer_error("/a~2"), HasSubstr("~0"));
}

TEST(Extract, JsonThatNestsWithoutEndIsNoJson) {
  PlannedMetric metric{.metric = {.name = "rate"}, .json = "/a"};
  EXPECT_THAT(extract(metric, std::string(200'000, '[')).problem, HasSubstr("is not JSON"));
}

}  // namespace
}  // namespace assay::check
