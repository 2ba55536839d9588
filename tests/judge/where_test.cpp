#include "assay/judge/where.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "assay/judge/judge.hpp"
#include "assay/report/where_text.hpp"
#include "support/records.hpp"

namespace assay::judge {
namespace {

using testing::HasSubstr;

/// A program of forty functions, the first with a third of 90 ms, each next with less, sampled every 250 µs; the
/// candidate takes `more` of the time of the functions that are changed.
std::vector<SampledRound> made_up(std::uint64_t seed, int rounds,
                                  const std::map<std::string, double>& more = {}) {
  std::mt19937_64 draw(seed);
  std::vector<SampledRound> all;
  constexpr double period = 250e-6;
  for (int r = 0; r < rounds; ++r) {
    const auto trial = [&](bool candidate) {
      FunctionTimes one;
      double sampled = 0;
      for (int f = 0; f < 40; ++f) {
        const auto name = "lock" + std::to_string(f);
        double seconds = 0.03 * std::pow(0.75, f);
        if (const auto change = more.find(name); candidate && change != more.end())
          seconds *= 1 + change->second;
        const auto samples = std::poisson_distribution<int>(seconds / period)(draw);
        if (samples > 0) one.functions[name] = samples * period;
        sampled += samples * period;
      }
      one.cpu = sampled + 0.002;
      return one;
    };
    all.push_back({.baseline = trial(false), .candidate = trial(true), .period = period});
  }
  return all;
}

Design two() {
  Design design;
  design.rules.margin = 0.01;
  design.candidates = {{.name = "list"}, {.name = "heap", .baseline = CandidateId{0}}};
  design.workloads = {{.name = "orders"}};
  design.cells = {{CandidateId{0}, WorkloadId{0}}, {CandidateId{1}, WorkloadId{0}}};
  return design;
}

const Comparison of{CellId{0}, CellId{1}};

/// The block, each sentence in one line.
std::vector<std::string> lines_of(const Where& where, const Design& design) {
  auto lines = report::where_lines(where, design);
  for (auto& line : lines)
    for (auto at = line.find("\n  "); at != std::string::npos; at = line.find("\n  "))
      line.replace(at, 3, " ");
  return lines;
}

TEST(Where, NamesTheFunctionThatChangedAndPartsAddUp) {
  // +50 % of 30 ms is 15 ms, more than ten half intervals.
  const auto where = judge_where(of, made_up(1, 20, {{"lock0", 0.5}}), 7);
  ASSERT_FALSE(where.functions.empty());
  EXPECT_EQ(where.functions.front().name, "lock0");
  EXPECT_TRUE(where.functions.front().named);
  EXPECT_NEAR(where.functions.front().change, 0.015, 0.004);
  EXPECT_LT(where.functions.front().low, 0.015);
  EXPECT_GT(where.functions.front().high, 0.015);
  double sum = where.small.change + where.unsampled.change;
  for (const auto& function : where.functions) sum += function.change;
  EXPECT_NEAR(sum, where.whole.change, 1e-12);
  double shown = where.rest.change;
  for (std::size_t i = 0; i < where.shown; ++i) shown += where.functions[i].change;
  EXPECT_NEAR(shown + (where.unsampled.named ? where.unsampled.change : 0), where.whole.change, 1e-12);
  EXPECT_GT(where.sampled_share, 0.95);
  EXPECT_LT(where.functions.size(), 40U) << "those below 0.1 % are taken together";
  EXPECT_GT(where.all_functions, where.functions.size());
}

TEST(Where, WhatIsInTheKernelIsAPartOfItsOwn) {
  auto rounds = made_up(2, 20);
  for (auto& round : rounds) round.candidate.cpu += 0.02;
  const auto where = judge_where(of, rounds, 1);
  EXPECT_TRUE(where.unsampled.named);
  EXPECT_NEAR(where.unsampled.change, 0.02, 1e-9);
  const auto lines = lines_of(where, two());
  EXPECT_THAT(lines[2], HasSubstr("in the kernel, and not sampled"));
}

TEST(Where, FewRoundsNameNothingAndNoneAreNoError) {
  EXPECT_EQ(fewest_sampled_rounds(), 6);
  const auto few = judge_where(of, made_up(3, 5, {{"lock0", 1.0}}), 1);
  EXPECT_EQ(few.shown, 0U);
  EXPECT_TRUE(std::isinf(few.functions.front().high));
  EXPECT_EQ(judge_where(of, {}, 1).rounds, 0U);
  EXPECT_TRUE(std::isinf(change_seen_after(7, 0.03, 250e-6)));
  // Measured: 1.2 ms (0.9 … 1.9) of 31 ms after 20 rounds at 4 kHz.
  EXPECT_NEAR(change_seen_after(20, 0.031, 250e-6), 1.2e-3, 0.3e-3);
}

TEST(WhereText, SaysWhichLibraryFunctionsAChangeIsIn) {
  auto rounds = made_up(8, 20, {{"lock0", 0.5}, {"lock1", 0.5}});
  for (auto& round : rounds)
    for (auto* side : {&round.baseline, &round.candidate}) {
      const bool candidate = side == &round.candidate;
      side->libraries["lock0"] = {
          {"memcmp", candidate ? 0.012 : 0.004}, {"strlen", 0.003}, {"malloc", candidate ? 0.005 : 0.001}};
    }
  auto where = judge_where(of, rounds, 7);
  ASSERT_EQ(where.shown, 2U);
  const auto& libraries = where.functions.front().libraries;
  ASSERT_EQ(libraries.size(), 3U);
  EXPECT_EQ(libraries[0].name, "memcmp");
  EXPECT_NEAR(libraries[0].change(), 0.008, 1e-12);
  EXPECT_EQ(libraries[2].name, "strlen");
  EXPECT_THAT(lines_of(where, two()).back(),
              HasSubstr("in lock0: +8.0 ms of it in memcmp, +4.0 ms of it in malloc, which it calls"));
  where.functions[1].libraries = {{"memset", 0, where.functions[1].change}};
  EXPECT_THAT(lines_of(where, two()).back(), HasSubstr("in lock0: +8.0 ms of it in memcmp; in lock1: "));
  EXPECT_THAT(lines_of(where, two()).back(), HasSubstr("in memset, which they call"));
}

TEST(WhereText, TimesOfCallsAreInNanoseconds) {
  auto rounds = made_up(9, 20, {{"lock0", 0.5}});
  for (auto& round : rounds)
    for (auto* side : {&round.baseline, &round.candidate}) {
      side->cpu *= 1e-6;
      for (auto& [name, seconds] : side->functions) seconds *= 1e-6;
    }
  auto where = judge_where(of, rounds, 7);
  where.per_call = true;
  const auto lines = lines_of(where, two());
  EXPECT_THAT(lines[0], HasSubstr("more cpu time for each call than list"));
  EXPECT_THAT(lines[2], HasSubstr(" ns "));
}

TEST(WhereText, FiguresOfAColumnAddUpAsPrinted) {
  const auto where =
      judge_where(of, made_up(4, 20, {{"lock0", 0.5}, {"lock1", -0.4}, {"lock2", 0.9}, {"lock3", 1.0}}), 3);
  ASSERT_EQ(where.shown, 4U);
  const auto lines = lines_of(where, two());
  ASSERT_EQ(lines.size(), 8U) << "title, heads, four functions, all else, together";
  EXPECT_THAT(
      lines[0],
      HasSubstr("where heap spends more cpu time than list: 20 rounds in turns, sampled about 4 000 times"));
  const auto numbers = [](const std::string& line) {
    std::vector<double> found;
    for (std::size_t at = 24; at < line.size();) {
      std::size_t used = 0;
      try {
        const bool minus = line.compare(at, 3, "−") == 0;
        const double value = std::stod(line.substr(minus ? at + 3 : at), &used);
        found.push_back(minus ? -value : value);
        at += used + (minus ? 3 : 0);
      } catch (const std::exception&) {
        ++at;
      }
    }
    return found;
  };
  for (const std::size_t column : {0U, 1U, 2U}) {
    double sum = 0;
    for (std::size_t i = 2; i < 7; ++i) sum += numbers(lines[i]).at(column);
    EXPECT_NEAR(sum, numbers(lines[7]).at(column), 1e-9) << column;
  }
  EXPECT_THAT(lines[2], HasSubstr("! more"));
  EXPECT_THAT(lines[6], HasSubstr("all else, "));
}

TEST(Where, OfAnotherCampaignGoesToTheComparisonOfTheSameNames) {
  auto record = test::record_of({{0.1, 0.1, 0.1, 0.1, 0.1, 0.1, 0.1},
                                 {0.1, 0.1, 0.1, 0.1, 0.1, 0.1, 0.1},
                                 {0.2, 0.21, 0.2, 0.21, 0.2, 0.2, 0.2}});
  auto findings = judge_record(record);
  auto sampled =
      test::record_of({{0.1, 0.1, 0.1, 0.1, 0.1, 0.1, 0.1}, {0.2, 0.21, 0.2, 0.21, 0.2, 0.2, 0.2}});
  test::add_samples(sampled);
  sampled.design.uid = "fedcba9876543210";
  sampled.design.candidates[CandidateId{1}].name = "rival2";
  adopt_where(findings, judge_record(sampled));
  ASSERT_EQ(findings.where.size(), 1U);
  EXPECT_EQ(findings.where[0].comparison, (Comparison{CellId{0}, CellId{2}}));
  EXPECT_EQ(findings.where[0].campaign, "fedcba9876543210");
  sampled.design.candidates[CandidateId{1}].name = "stranger";
  adopt_where(findings, judge_record(sampled));
  EXPECT_EQ(findings.where.size(), 1U);
  filter_results(findings, parse_cell_filter("candidate=rival1"));
  EXPECT_TRUE(findings.where.empty());
}

TEST(WhereText, ContradictionsAreSaidInsteadOfFunctions) {
  const auto where = judge_where(of, made_up(6, 20), 3);
  Finding before{.comparison = of, .effect = {.value = 1.6}, .interval = {.low = 1.5, .high = 1.7}};
  EXPECT_THAT(report::contradiction_text(where, before, {.name = "cpu time", .unit = "s"}),
              HasSubstr("no function is named: cpu time changed by +50 … +70 %"));
  before.interval = {.low = 0.9, .high = 1.7};
  EXPECT_EQ(report::contradiction_text(where, before, {.name = "cpu time"}), "") << "they touch";
  before = {.comparison = of,
            .effect = {.value = 1.012},
            .interval = {.low = 1.0105, .high = 1.013},
            .margin = 0.01};
  auto steady = where;
  steady.whole = {.baseline = 1, .candidate = 1.005, .change = 0.005, .low = 0.004, .high = 0.006};
  EXPECT_FALSE(contradicts(steady, before)) << "they are apart by less than what matters";
  steady.whole = {.baseline = 1, .candidate = 0.995, .change = -0.005, .low = -0.006, .high = -0.004};
  EXPECT_TRUE(contradicts(steady, before));
}

TEST(WhereText, SaysWhatMoreRoundsWouldTellWhereNothingIsNamed) {
  const auto lines = lines_of(judge_where(of, made_up(5, 10), 3), two());
  EXPECT_THAT(lines.back(), HasSubstr("no function can be named after 10 rounds"));
  EXPECT_THAT(lines.back(), HasSubstr("--rounds 30 would tell changes of"));
}

TEST(WhereText, SaysWhereTheCodeIsTheSame) {
  auto where = judge_where(of, made_up(4, 20, {{"lock0", 0.5}, {"lock1", -0.4}}), 3);
  ASSERT_EQ(where.shown, 2U);
  const auto usual = lines_of(where, two()).size();
  where.functions[0].code = CodeLikeness::same;
  where.functions[0].within_line = {0, 32};
  where.functions[1].code = CodeLikeness::other;
  where.other_code = {"lock1", "moor"};
  auto lines = lines_of(where, two());
  ASSERT_EQ(lines.size(), usual + 1);
  EXPECT_THAT(
      lines.back(),
      HasSubstr("lock0: its machine code is the same in both; what changed is what it is given, or where "
                "it lies (0 and 32 bytes into a line of 64)"));
  where.functions[1].code = CodeLikeness::same;
  lines = lines_of(where, two());
  ASSERT_EQ(lines.size(), usual + 2);
  EXPECT_THAT(lines[usual], HasSubstr("lock0, lock1: their machine code is the same in both"));
  EXPECT_THAT(lines.back(), HasSubstr("other code is in lock1, moor"));
  where.other_code.clear();
  EXPECT_THAT(lines_of(where, two()).back(), HasSubstr("--relink"));
  auto relinked = two();
  relinked.rules.layouts = 8;
  relinked.builds = {{.candidate = CandidateId{1}, .layouts = 8}};
  EXPECT_THAT(lines_of(where, relinked)[usual], testing::Not(HasSubstr("lie"))) << "it is drawn";
}

}  // namespace
}  // namespace assay::judge
