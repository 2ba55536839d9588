#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "assay/judge/judge.hpp"
#include "assay/render/documents.hpp"
#include "assay/render/text_tables.hpp"
#include "assay/report/report.hpp"
#include "assay/report/sentence.hpp"
#include "assay/report/summary_lines.hpp"
#include "assay/report/tables.hpp"
#include "support/noise.hpp"
#include "support/records.hpp"

namespace assay::render {
namespace {

using namespace report;
using test::joined;
using test::noisy;
using test::record_of;
using testing::ElementsAre;
using testing::HasSubstr;
using testing::Not;

/// So many candidates, each 10 % off or like the baseline by turns, on so many workloads.
Findings many(std::size_t candidates, std::size_t workloads) {
  auto record = record_of(std::vector<std::vector<double>>((candidates + 1) * workloads, noisy(1, 12, 1)));
  record.design.workloads = {};
  record.design.comparisons.clear();
  record.design.candidates = test::first_of(record.design.candidates, candidates + 1);
  for (std::size_t w = 0; w < workloads; ++w) {
    record.design.workloads.add({.name = "canal" + std::to_string(w)});
    for (std::size_t c = 0; c <= candidates; ++c) {
      const CellId id{static_cast<std::int64_t>(w * (candidates + 1) + c)};
      record.design.cells[id] = {.candidate = {static_cast<std::int64_t>(c)},
                                 .workload = {static_cast<std::int64_t>(w)}};
      if (c > 0) record.design.comparisons.push_back({{id.value - static_cast<std::int64_t>(c)}, id});
    }
  }
  unsigned seed = 1;
  IdTable<CellId, std::vector<double>> values;
  for (std::size_t i = 0; i < record.design.cells.size(); ++i) {
    const auto c = i % (candidates + 1);
    values.add(noisy(c % 2 == 1 ? 1.1 : 1, 12, ++seed, 0.001));
  }
  for (auto& trial : record.log.trials)
    if (trial.role == Role::measured)
      trial.readings[0].value = values[trial.cell][static_cast<std::size_t>(*trial.round) - 2];
  return judge::judge_record(record);
}

TEST(Overview, CandidatesDownPlacesAcross) {
  auto all = many(4, 3);
  all.statuses[CellId{4 + 5}].code = StatusCode::wrong;  // rival4 on canal1
  std::erase_if(all.findings, [](const Finding& f) { return f.comparison.candidate == CellId{9}; });
  const auto overview = make_overview(all, {0});
  EXPECT_THAT(overview.columns, ElementsAre("canal0", "canal1", "canal2"));
  EXPECT_THAT(overview.candidates,
              ElementsAre(CandidateId{1}, CandidateId{2}, CandidateId{3}, CandidateId{4}));
  EXPECT_EQ(overview.rows[0][2].text, "+10 % !");
  EXPECT_THAT(overview.rows[1][0].text, HasSubstr("="));
  EXPECT_EQ(overview.rows[3][1].text, "wrong");
  EXPECT_EQ(make_overview(all, {0}, WorkloadId{0}).columns.size(), 1U);
}

TEST(Overview, PutsManyWorkloadsIntoOneTable) {
  const auto text = to_text(many(30, 4), {});
  EXPECT_THAT(text, HasSubstr("canal0"));
  EXPECT_THAT(text, Not(HasSubstr("canal0: wall time"))) << "no table for each";
  for (std::size_t from = 0, end = 0; end < text.size(); from = end + 1) {
    end = std::min(text.find('\n', from), text.size());
    EXPECT_LE(end - from, 130U) << text.substr(from, end - from) << ": a hundred columns, signs are longer";
  }
}

TEST(Sentences, BeginWithASummaryOfManyCandidates) {
  EXPECT_EQ(summarize_candidates(many(5, 2)).summary, "");
  const auto said = summarize_candidates(many(40, 2));
  EXPECT_EQ(said.summary, "40 candidates against list, 80 comparisons: 40 worse, 40 same");
  EXPECT_EQ(said.first.size(), 12U);
  EXPECT_EQ(said.rest.size(), 28U);
  for (const auto& sentence : said.first) EXPECT_THAT(joined(sentence.lines), HasSubstr("slower"));
  EXPECT_THAT(to_text(many(40, 2), {}), HasSubstr("and 8 more that are better, worse or left out somewhere"));
}

TEST(Sentences, CoverChosenCandidatesOnly) {
  auto all = many(3, 2);
  judge::filter_results(all, parse_cell_filter("candidate=rival2"));
  const auto said = sentences(all);
  ASSERT_EQ(said.size(), 1U);
  EXPECT_EQ(said[0].candidate, "rival2");
}

/// A record with time, memory and faults of a baseline and a candidate that takes less memory.
Findings with_memory(double time, double cpu_time) {
  auto record = record_of({noisy(1, 12, 1, 0.001), noisy(time, 12, 2, 0.001)});
  record.design.metrics.add({.name = "peak memory", .unit = "B"});
  record.design.metrics.add({.name = "faults"});
  record.design.metrics.add({.name = "cpu time", .unit = "s"});
  for (auto& trial : record.log.trials) {
    const bool candidate = trial.cell == CellId{1};
    const double off = 1 + 0.001 * trial.round.value_or(0);
    trial.readings.push_back({MetricId{1}, (candidate ? 1.2e6 : 2e6) * off});
    trial.readings.push_back({MetricId{2}, (candidate ? 110 : 100) * off});
    trial.readings.push_back({MetricId{3}, (candidate ? cpu_time : 1) * off});
  }
  return judge::judge_record(record);
}

TEST(RelatedMetrics, ListsTheLargestChangesFirst) {
  const auto all = with_memory(0.8, 0.79);
  const auto& finding = all.findings.front();
  ASSERT_TRUE(shows_related_metrics(all, finding));
  EXPECT_EQ(related_metrics_text(all, finding), "peak memory −40 %, faults +10 %");
  EXPECT_EQ(related_metrics_text(all, finding, 30), "peak memory −40 % and 1 more");
  EXPECT_THAT(to_text(all, {}), HasSubstr("    moved too: peak memory −40 %, faults +10 %\n"));
  EXPECT_THAT(to_text(with_memory(0.8, 0.6), {}), HasSubstr("cpu time −40 %")) << "more than wall time did";
  for (const auto& f : all.findings) EXPECT_EQ(shows_related_metrics(all, f), f.metric == MetricId{0});
}

TEST(Evidence, StandsBesideASameToo) {
  EXPECT_THAT(to_text(with_memory(1, 1), {}), HasSubstr("moved too: peak memory −40 %"));
}

TEST(Together, LinesAreLimitedAndTheBestComeFirst) {
  auto all = many(20, 2);
  ASSERT_EQ(all.overall.size(), 20U);
  const auto lines = limit_each(aggregate_lines(all), 3);
  EXPECT_THAT(joined(lines), HasSubstr("overall, and 17 more"));
  EXPECT_THAT(lines.front(), HasSubstr("same over 2 comparisons: "));
  all.design.workloads[WorkloadId{1}].weight = 2;
  EXPECT_THAT(joined(limit_each(aggregate_lines(all), 3)), HasSubstr("(weights: canal0 1, canal1 2)"));
}

}  // namespace
}  // namespace assay::render
