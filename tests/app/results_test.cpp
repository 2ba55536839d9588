#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <chrono>
#include <cmath>
#include <sstream>

#include "assay/app/program_comparison.hpp"
#include "assay/app/samples.hpp"
#include "assay/model/error.hpp"
#include "support/message.hpp"
#include "support/tool.hpp"

namespace assay::app {
namespace {

using namespace std::chrono_literals;
using test::message_of;
using testing::HasSubstr;

std::vector<std::string> behave(std::vector<std::string> steps) {
  steps.insert(steps.begin(), BEHAVE);
  return steps;
}

template <class T>
std::string printed(const T& value) {
  std::ostringstream out;
  out << value;
  return out.str();
}

const std::vector<double> before = {412, 405, 431, 418, 409, 422, 440, 415, 408, 427};
const std::vector<double> after = {391, 388, 402, 396, 385, 399, 418, 390, 389, 404};

TEST(ComparePaired, GivesOneRowOnOneScale) {
  const auto results = compare_paired(
      before, after, {.metric = "travel time", .unit = "min", .baseline = "old", .candidate = "new"});
  const auto rows = results.comparisons();
  ASSERT_EQ(rows.size(), 1U);
  EXPECT_EQ(rows[0].candidate(), "new");
  EXPECT_EQ(rows[0].baseline(), "old");
  EXPECT_EQ(rows[0].metric(), "travel time");
  EXPECT_EQ(printed(rows[0].verdict()), "better");
  EXPECT_EQ(rows[0].verdict_text(), "better");
  const auto change = rows[0].change();
  // R 4.2: d <- log(after / before); exp(wilcox.test(d, conf.int = TRUE)$estimate) - 1
  EXPECT_NEAR(change.value, -0.0528, 0.0005);
  EXPECT_LT(change.low, change.value);
  EXPECT_GT(change.high, change.value);
  EXPECT_LT(change.high, 0);
  EXPECT_THAT(printed(change), testing::StartsWith("−5.3 % ("));
  EXPECT_EQ(rows[0].baseline_typical(), 416.5);
  EXPECT_TRUE(results.aa_checks().empty());
  EXPECT_THAT(printed(results), HasSubstr("new  better than old"));
}

TEST(ComparePaired, TakesLargerAsBetterWhereAsked) {
  const auto rows = compare_paired(before, after, {.higher_is_better = true}).comparisons();
  EXPECT_EQ(rows.at(0).verdict(), Verdict::worse);
}

TEST(ComparePaired, RefusesWhatHasNoPairs) {
  const std::vector<double> none, one = {1}, nan = {std::nan("")};
  EXPECT_THAT(message_of([&] { (void)compare_paired(before, one); }), HasSubstr("there are 10 and 1"));
  EXPECT_THAT(message_of([&] { (void)compare_paired(none, none); }), HasSubstr("no values of baseline"));
  EXPECT_THAT(message_of([&] { (void)compare_paired(one, nan); }), HasSubstr("not finite"));
}

TEST(CompareUnpaired, ReportsThatSamplesDiffer) {
  auto other = after;
  other.pop_back();
  const auto results = compare_unpaired(before, other, {.unit = "min"});
  EXPECT_EQ(results.comparisons().at(0).verdict(), Verdict::differs);
  EXPECT_THAT(printed(results), HasSubstr("differs from baseline"));
}

TEST(CompareSamples, ReadsAFileAndWritesAPage) {
  const test::Scratch scratch;
  const auto file =
      scratch.file("s.csv", "candidate,metric,value,round\na,t,1,1\nb,t,2,1\na,t,1,2\nb,t,2,2\n");
  const auto results = compare_samples(read_samples(file));
  results.write_page(scratch.path("page.html"));
  EXPECT_THAT(test::read_file(scratch.path("page.html")), HasSubstr("<html"));
  EXPECT_THAT(message_of([&] { results.write_page(scratch.path("no/such/folder.html")); }),
              HasSubstr("the page can't be written"));
}

TEST(ProgramComparison, RunsProgramsAndOwnsWhatTheyShow) {
  ProgramComparison comparison("spinning");
  comparison.baseline("one", behave({"spin", "0.005"})).candidate("twenty", behave({"spin", "0.1"}));
  const auto results = comparison.rounds(7, 7).timeout(30s).budget(20s).margin(0.05).run();
  bool slower = false;
  for (const auto& row : results.comparisons()) slower = slower || row.verdict_text() == "slower";
  EXPECT_TRUE(slower) << results;
  EXPECT_FALSE(results.aa_checks().empty());
  EXPECT_FALSE(results.record().log.trials.empty());
  EXPECT_FALSE(results.is_interrupted());
  EXPECT_EQ(results.gate({.allow = 0.02}).status, GateStatus::failed);
}

TEST(ProgramComparison, RefusesWhatCannotBeCompared) {
  ProgramComparison comparison;
  comparison.baseline("a", {"true"});
  EXPECT_THAT(message_of([&] { comparison.baseline("b", {"true"}); }), HasSubstr("two baselines, a and b"));
  EXPECT_THAT(message_of([&] { comparison.candidate("a", {"true"}); }),
              HasSubstr("two programs are named \"a\""));
  EXPECT_THAT(message_of([&] { comparison.candidate("c", {}); }), HasSubstr("no command is given"));
  EXPECT_THAT(message_of([&] { (void)comparison.run(); }), HasSubstr("nothing to compare"));
}

TEST(ProgramComparison, TakesArgumentsAsTheyAre) {
  ProgramComparison comparison;
  comparison.baseline("a", behave({"say", "${nothing}"})).candidate("b", behave({"say", "${nothing}"}));
  const auto results = comparison.check({.match = R"(\$\{nothing\})"}).rounds(6, 6).run();
  EXPECT_TRUE(results.findings().statuses[CellId{0}].is_ok()) << results;
}

}  // namespace
}  // namespace assay::app
