#include "assay/report/summary_lines.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "assay/judge/judge.hpp"
#include "assay/render/documents.hpp"
#include "support/records.hpp"

namespace assay::render {
namespace {

using namespace report;

using test::joined;
using testing::HasSubstr;
using testing::Not;

Findings with_candidates() {
  Findings all;
  all.design.candidates = {
      {.name = "list"},
      {.name = "heap", .baseline = CandidateId{0}},
      {.name = "list, once more", .baseline = CandidateId{0}, .twin_of = CandidateId{0}}};
  all.design.workloads = {{.name = "routes"}};
  for (std::int64_t c = 0; c < 3; ++c) all.design.cells.add({.candidate = {c}});
  all.design.metrics = {{.name = "time per call", .unit = "s", .request = {.watched = true}},
                        {.name = "first call", .unit = "s", .supporting = true}};
  all.statuses = IdTable<CellId, CellStatus>(3, CellStatus{});
  return all;
}

Finding finding(std::int64_t candidate, std::int64_t metric, double baseline, double typical) {
  return {.comparison = {{0}, {candidate}},
          .metric = {metric},
          .rounds = 7,
          .baseline_typical = baseline,
          .candidate_typical = typical,
          .effect = {Scale::ratio, typical / baseline}};
}

TEST(TwinLines, SayWhatNoChangeLookedLike) {
  auto all = with_candidates();
  EXPECT_EQ(joined(twin_lines(all)), "");
  all.findings = {finding(2, 0, 1, 1.004)};
  all.findings[0].interval = {0.99, 1.02};
  EXPECT_EQ(joined(twin_lines(all)),
            "A/A check (a baseline against itself): list, once more, time per call +0.40 % (−1.0 … +2.0 %, 7 "
            "rounds)\n");
  EXPECT_THAT(to_text(all, {}), Not(HasSubstr("list, once more  "))) << "no row of its own";
}

/// Of heap, over 10 to 40 locks.
ScalingCurve trend_with(const Interval& exponent, double crossing, const Interval& at) {
  return {.candidate = {1},
          .workload = {0},
          .metric = {0},
          .factor = "locks",
          .at = {10, 20, 40},
          .typical = {1, 2, 4},
          .exponent = 1.02,
          .exponent_interval = exponent,
          .crossing = crossing,
          .crossing_interval = at};
}

TEST(TrendLines, SayGrowthAndCrossing) {
  auto all = with_candidates();
  all.scaling = {trend_with({0.98, 1.06, 0.95}, 25, {20, 31, 0.95})};
  all.scaling[0].law = "n";
  EXPECT_THAT(joined(trend_lines(all)),
              HasSubstr("growth of time per call over locks: heap grows as n (exponent 1.0 … 1.1)"));
  EXPECT_THAT(joined(trend_lines(all)), HasSubstr("heap costs what list does at about 25 locks (20 … 31)\n"));
  all.scaling[0].crossing = 6;
  all.scaling[0].law.clear();
  all.scaling[0].crossing_interval = {5, 7, 0.95};
  EXPECT_THAT(joined(trend_lines(all)), HasSubstr("(5 … 7), outside the sizes measured"));
  EXPECT_THAT(joined(trend_lines(all)), HasSubstr("heap grows with exponent 1.0 (1.0 … 1.1)"));
}

TEST(ScalingLines, NoneWhereNothingIsKnown) {
  auto all = with_candidates();
  all.scaling = {trend_with({0.4, 1.6, 0.95}, 25, {2, 310, 0.95})};
  EXPECT_EQ(joined(trend_lines(all)), "") << "an exponent and a crossing that might be anywhere";
  all.scaling[0].crossing = 4;
  all.scaling[0].crossing_interval = {3, 5, 0.95};
  EXPECT_EQ(joined(trend_lines(all)), "") << "far from all sizes that were measured";
}

TEST(TrendLines, SayOnceHowATimeAndItsThroughputScale) {
  auto all = with_candidates();
  all.design.metrics.add(
      {.name = "throughput", .direction = Direction::higher, .request = {.watched = true}});
  ScalingCurve trend{.candidate = {0},
                     .workload = {0},
                     .metric = {0},
                     .factor = "threads",
                     .at = {1, 2},
                     .typical = {1, 1},
                     .throughput = {1, 2}};
  all.scaling = {trend, trend};
  all.scaling[1].metric = MetricId{2};
  EXPECT_EQ(trend_lines(all).size(), 1U);
  all.scaling.erase(all.scaling.begin());
  EXPECT_EQ(trend_lines(all).size(), 1U) << "of a throughput alone";
}

TEST(TrendLines, SayHowThreadsScale) {
  auto all = with_candidates();
  all.scaling = {{.candidate = {0},
                  .workload = {0},
                  .metric = {0},
                  .factor = "threads",
                  .at = {1, 2, 4},
                  .typical = {1, 1, 2},
                  .throughput = {1, 2, 2},
                  .knee = 2,
                  .plateau = 4}};
  EXPECT_EQ(joined(trend_lines(all)),
            "scaling of time per call over threads: list does 2 times as much with 4 as with 1, knee at "
            "about 2, no "
            "better beyond 4 by medians\n");
}

TEST(RequirementLines, NameTheNearest) {
  auto all = with_candidates();
  all.design.metrics[MetricId{0}].request.require = parse_requirement("< 2 ms");
  using Status = RequirementFinding::Status;
  all.requirements = {
      {.cell = {0}, .metric = {0}, .status = Status::met, .typical = 0.001, .headroom = 0.5},
      {.cell = {1}, .metric = {0}, .status = Status::violated, .typical = 0.003, .headroom = -0.5}};
  EXPECT_EQ(joined(requirement_lines(all)),
            "required, time per call < 2 ms: list, met (1 ms, 50 % to spare)\n"
            "required, time per call < 2 ms: heap, violated (3 ms, 50 % beyond)\n");
}

TEST(FirstCallLines, SayFromHowManyCallsAnExpensiveFirstOnePays) {
  auto all = with_candidates();
  all.findings = {finding(1, 0, 10e-6, 1e-6), finding(1, 1, 20e-6, 200e-6)};
  EXPECT_THAT(joined(first_call_lines(all)), Not(HasSubstr("pays"))) << "neither change has a verdict";
  all.findings[0].verdict = Verdict::better;
  all.findings[1].verdict = Verdict::worse;
  // 180 µs more at first, 9 µs less for each of the others: 20 others, and the first.
  EXPECT_THAT(joined(first_call_lines(all)), HasSubstr("by these it pays from about 21 calls on"));
  all.findings[1].candidate_typical = 9.9e-6;
  EXPECT_EQ(joined(first_call_lines(all)), "") << "less than ten times a steady call is nothing to tell";
  all.findings[1].candidate_typical = 10.1e-6;
  EXPECT_THAT(joined(first_call_lines(all)), Not(HasSubstr("pays"))) << "it was not dearer than the other's";
  EXPECT_NE(joined(first_call_lines(all)), "");
}

}  // namespace
}  // namespace assay::render
