#include "assay/render/text_tables.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "assay/judge/judge.hpp"
#include "assay/render/documents.hpp"
#include "support/noise.hpp"
#include "support/records.hpp"

namespace assay::render {
namespace {

using namespace report;
using test::noisy;
using test::record_of;
using testing::HasSubstr;

/// `count` candidates beside the baseline, the last of them absent.
Record wide(std::size_t count) {
  std::vector<std::vector<double>> values;
  for (unsigned i = 0; i <= count; ++i) values.push_back(noisy(1 + 0.1 * i, 8, i + 1));
  auto record = record_of(values);
  record.log.status_changes = {{CellId{static_cast<std::int64_t>(count)}, {.code = StatusCode::unsupported}}};
  return record;
}

TEST(WideFindings, FoldIntoColumnsWithinAHundred) {
  const auto all = judge::judge_record(wide(30));
  ASSERT_TRUE(is_wide(report::make_overview(all, {0}, WorkloadId{0})));
  const auto narrow = judge::judge_record(wide(20));
  EXPECT_FALSE(is_wide(report::make_overview(narrow, {0}, WorkloadId{0})));
  const auto text = to_text(all, {});
  EXPECT_THAT(text, HasSubstr("change against the baseline; --only"));
  EXPECT_THAT(text, HasSubstr("unsupported"));
  EXPECT_THAT(text, HasSubstr("+10 % !"));
}

TEST(Details, ShowEveryTrialOnOneAxis) {
  const auto record = wide(2);
  const auto text = details(judge::judge_record(record), record);
  EXPECT_THAT(text, HasSubstr("8 trials: least"));
  EXPECT_THAT(text, HasSubstr("in order: "));
}

TEST(Page, SumsUpWhatCantBeSeen) {
  const auto few = record_of({noisy(1, 50, 1), noisy(1, 50, 2)}),
             many = record_of({noisy(1, 3000, 1), noisy(1, 3000, 2)});
  const auto size = [](const Record& record) { return to_page(judge::judge_record(record), record).size(); };
  EXPECT_LT(size(many), size(few) + 400000) << "six thousand trials";
}

TEST(Page, WritesEachTrialOnceHoweverManyChartsShowIt) {
  auto values = std::vector<std::vector<double>>(20, noisy(1, 50, 1));
  values[0] = std::vector<double>(50, 1.25);
  values[0][7] = 1.23457;  // of the baseline, which every chart shows
  const auto record = record_of(values);
  const auto page = to_page(judge::judge_record(record), record);
  std::size_t times = 0;
  for (auto at = page.find("1.23457"); at != std::string::npos; at = page.find("1.23457", at + 1)) ++times;
  EXPECT_EQ(times, 1U);
}

TEST(Page, ShowsEverySection) {
  const auto record = wide(3);
  const auto page = to_page(judge::judge_record(record), record);
  for (const char* part : {"<h1>barges</h1>", "rival1", "placeholder=\"rival1", "! slower", "vega-lite",
                           "unsupported", "assay run assay.toml"})
    EXPECT_THAT(page, HasSubstr(part));
  EXPECT_EQ(page.find("http://"), page.find("http://www.w3.org")) << "nothing is fetched";
}

TEST(Page, WarnsFirstOfATwinThatWasCalled) {
  auto record = record_of({noisy(1, 20, 1), noisy(1.1, 20, 2)});
  record.design.candidates[CandidateId{1}].twin_of = CandidateId{0};
  record.design.rules.rounds_min = 7;
  record.design.rules.rounds_max = 60;
  const auto all = judge::judge_record(record);
  EXPECT_THAT(to_page(all, record), HasSubstr("Warning: a mere copy of list was called worse"));
  EXPECT_THAT(to_text(all, {}), testing::StartsWith("! warning: a mere copy of list was called worse"));
}

TEST(Markdown, PutsFewRowsInTheOpenAndManyAway) {
  EXPECT_THAT(to_markdown(judge::judge_record(wide(3))), testing::Not(HasSubstr("comparisons</summary>")));
  EXPECT_THAT(to_markdown(judge::judge_record(wide(20))),
              HasSubstr("<details><summary>19 comparisons</summary>"));
}

}  // namespace
}  // namespace assay::render
