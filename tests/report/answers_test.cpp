// Whole answers, as a person reads them, against the texts in tests/reference/answers. Where one is meant to
// change, ASSAY_WRITE_ANSWERS=1 writes them anew: read the difference before it is kept.

#include <gtest/gtest.h>

#include <array>
#include <cstdlib>
#include <fstream>
#include <sstream>

#include "assay/import_export/import_export.hpp"
#include "assay/judge/gate.hpp"
#include "assay/judge/judge.hpp"
#include "assay/render/documents.hpp"
#include "support/made.hpp"
#include "support/tool.hpp"

namespace assay::render {
namespace {

using test::Made;

void expect_answer(const std::string& name, const std::string& text) {
  const auto path = std::string(ASSAY_SOURCE) + "/tests/reference/answers/" + name + ".txt";
  if (std::getenv("ASSAY_WRITE_ANSWERS") != nullptr) std::ofstream(path) << text;
  EXPECT_EQ(text, test::read_file(path)) << name;
}

void expect_text(const std::string& name, const Record& record) {
  expect_answer(name, to_text(judge::judge_record(record)));
}

Setting at(const std::string& factor, std::int64_t level) { return {{{factor, level}}}; }

TEST(Answers, ADuel) {
  Made duel({}, CampaignKind::duel);
  const auto time = duel.wall_time();
  const auto memory = duel.metric({.name = "peak memory", .unit = "B"}, false);
  const auto cores = duel.metric({.name = "cores used", .direction = Direction::neither}, false);
  const auto before = duel.cell(duel.candidate("old")), after = duel.cell(duel.candidate("new"));
  duel.around(before, time, 0.412, 12);
  duel.around(after, time, 0.381, 12);
  duel.around(before, memory, 40e6, 12, 0.0001);
  duel.around(after, memory, 61e6, 12, 0.0001);
  duel.around(before, cores, 1, 12);
  duel.around(after, cores, 1.8, 12);
  const auto all = judge::judge_record(duel.record());
  expect_answer("duel", to_text(all));
  expect_answer("duel-profile", to_text(all, {.profile = true}));
  expect_answer("duel-markdown", to_markdown(all));
}

TEST(Answers, ManyCandidates) {
  Made made("Sixteen ways to sort the morning's barges");
  const auto time = made.wall_time();
  for (int i = 0; i < 16; ++i) {
    const auto cell = made.cell(made.candidate(i == 0 ? "list" : "way" + std::to_string(i)));
    made.around(cell, time, i < 10 ? 0.2 : 0.2 + 0.01 * (i - 12), 20);
  }
  expect_text("many-candidates", made.record());
}

Record over_sizes() {
  Made made("Towpath over the size of the network");
  made.design().factors = {{.name = "locks", .role = Factor::Role::size}};
  const auto time = made.wall_time();
  const auto list = made.candidate("list"), heap = made.candidate("heap");
  for (const int locks : {200, 400, 800, 1600, 3200}) {
    const double n = locks / 200.0;
    made.around(made.cell(list, {}, at("locks", locks)), time, 0.01 * n * n, 12);
    made.around(made.cell(heap, {}, at("locks", locks)), time, 0.02 * n * std::log2(2 * n), 12);
  }
  return made.record();
}

TEST(Answers, ManySettings) { expect_text("many-settings", over_sizes()); }

TEST(Answers, TooFewRounds) {
  Made made("Packers");
  const auto time = made.wall_time();
  const auto pack = made.candidate("pack"), squeeze = made.candidate("squeeze");
  for (const int threads : {1, 2}) {
    made.values(made.cell(pack, {}, at("threads", threads)), time,
                {2.31 / threads, 2.33 / threads, 2.30 / threads});
    made.values(made.cell(squeeze, {}, at("threads", threads)), time, {0.41, 0.42, 0.40});
  }
  auto record = made.record();
  record.design.rules.rounds_min = 7;
  record.design.rules.rounds_max = 60;
  expect_text("too-few-rounds", record);
}

TEST(Answers, AHugeRatio) {
  Made made({}, CampaignKind::duel);
  const auto time = made.wall_time();
  made.around(made.cell(made.candidate("slow")), time, 4, 8);
  made.around(made.cell(made.candidate("quick")), time, 0.02, 8, 0.01);
  expect_text("huge-ratio", made.record());
}

TEST(Answers, AllTheSame) {
  Made made("Two spellings of one search");
  const auto time = made.wall_time();
  for (const char* name : {"list", "spelt otherwise", "and again"})
    made.around(made.cell(made.candidate(name)), time, 0.1, 30);
  expect_text("all-the-same", made.record());
}

TEST(Answers, AllWrong) {
  Made made("A hasty planner");
  const auto time = made.wall_time();
  const auto list = made.candidate("list"), hasty = made.candidate("hasty");
  for (const int locks : {200, 800}) {
    made.around(made.cell(list, {}, at("locks", locks)), time, 0.1, 8);
    made.stands(made.cell(hasty, {}, at("locks", locks)), StatusCode::wrong,
                "its output is not the baseline's: line 2: \"464 min\", expected \"470 min\"");
  }
  expect_text("all-wrong", made.record());
}

TEST(Answers, Failures) {
  Made made("A planner that gives up now and then");
  const auto time = made.wall_time();
  const auto list = made.cell(made.candidate("list")), moody = made.cell(made.candidate("moody"));
  made.around(list, time, 0.1, 20);
  made.around(moody, time, 0.09, 20);
  made.failed(moody, {2, 5, 6, 11, 13, 17, 18});
  expect_text("failures", made.record());
}

/// Two values a second for ten seconds: the first two seconds higher.
std::vector<Point> falling(double from, double to) {
  std::vector<Point> points;
  for (int i = 0; i < 40; ++i) {
    const double seconds = 0.25 * i;
    points.push_back({.at = seconds, .value = (seconds < 2 ? from : to) + 0.1 * (i % 5)});
  }
  return points;
}

TEST(Answers, ASeriesWithACeiling) {
  Made made("Frames of the lock-keeper's screen");
  Metric rate{.name = "frame rate", .unit = "1/s", .direction = Direction::higher};
  rate.request.ceiling = 60;
  const auto id = made.metric(rate);
  const auto old = made.cell(made.candidate("old")), capped = made.cell(made.candidate("capped")),
             over = made.cell(made.candidate("unleashed"));
  made.around(old, id, 34, 12);
  made.series(old, id, falling(38, 34));
  made.around(capped, id, 60, 12, 0.0005);
  made.series(capped, id, falling(60, 60));
  made.around(over, id, 75, 12);
  const auto record = made.record();
  expect_text("series-with-ceiling", record);
}

TEST(Answers, AContestOverSizesAndThreads) {
  Made made("smoothing levels", CampaignKind::contest);
  made.design().factors = {{.name = "locks", .role = Factor::Role::size},
                           {.name = "threads", .role = Factor::Role::threads}};
  const auto time = made.metric({.name = "time per call", .unit = "s"});
  const auto sweep = made.candidate("sweep"), blocks = made.candidate("blocks");
  for (const int locks : {1000, 4000, 16000})
    for (const int threads : {1, 2, 4}) {
      const Setting setting{{{"locks", std::int64_t{locks}}, {"threads", std::int64_t{threads}}}};
      made.around(made.cell(sweep, {}, setting), time, 1e-9 * locks, 20);
      made.around(made.cell(blocks, {}, setting), time, 1.1e-9 * locks / std::min(threads, 2), 20);
    }
  expect_text("contest", made.record());
}

TEST(Answers, ImportedSamples) {
  std::istringstream csv(
      "candidate,workload,metric,value,unit,prefer\n"
      "before,watch,hours,8.1,h,lower\nbefore,watch,hours,7.9,h,lower\nbefore,watch,hours,8.3,h,lower\n"
      "before,watch,hours,8.0,h,lower\nbefore,watch,hours,8.2,h,lower\nbefore,watch,hours,7.8,h,lower\n"
      "after,watch,hours,6.1,h,lower\nafter,watch,hours,6.4,h,lower\nafter,watch,hours,5.9,h,lower\n"
      "after,watch,hours,6.0,h,lower\nafter,watch,hours,6.2,h,lower\nafter,watch,hours,6.3,h,lower\n");
  expect_text("imported",
              import_export::read_csv(
                  csv, "hours.csv",
                  {.factors = {}, .baseline = {}, .title = "hours.csv", .uid = "0123456789abcdef"}));
}

TEST(Answers, AGate) {
  Made made("A change on its way in");
  const auto time = made.wall_time();
  const auto list = made.candidate("list"), change = made.candidate("change");
  const std::array workloads = {made.workload("orders"), made.workload("reach"), made.workload("print")};
  const std::array centres = {0.1, 0.105, 0.1003};
  for (std::size_t i = 0; i < workloads.size(); ++i) {
    made.around(made.cell(list, workloads[i]), time, 0.1, 12);
    made.around(made.cell(change, workloads[i]), time, centres[i], 12, i == 2 ? 0.05 : 0.003);
  }
  const auto all = judge::judge_record(made.record());
  const auto gate = judge::evaluate_gate(all, Gate{.allow = 0.02, .undecided_passes = true});
  expect_answer("gate", to_text(gate, all.design, true));
  expect_answer("gate-markdown", to_markdown(all, &gate));
}

TEST(Answers, OneWhoIsFasterButLarger) {
  Made made("Four planners");
  const auto time = made.wall_time();
  const auto memory = made.metric({.name = "peak memory", .unit = "B"});
  const std::array names = {"list", "heap", "goal", "table"};
  const std::array times = {0.1, 0.08, 0.08, 0.03};
  const std::array sizes = {40e6, 40e6, 44e6, 90e6};
  for (const char* workload : {"orders", "reach"}) made.workload(workload);
  for (std::size_t i = 0; i < names.size(); ++i) {
    const auto id = made.candidate(names[i]);
    for (const auto workload : made.design().workloads.ids()) {
      const auto cell = made.cell(id, workload);
      made.around(cell, time, times[i] * static_cast<double>(1 + workload.value), 20);
      made.around(cell, memory, sizes[i], 20, 0.002);
    }
  }
  expect_text("faster-but-larger", made.record());
}

TEST(Answers, StayWithinAHundredColumns) {
  std::istringstream lines(to_text(judge::judge_record(over_sizes()), {.profile = true}));
  for (std::string line; std::getline(lines, line);) {
    const auto columns =
        std::ranges::count_if(line, [](char c) { return (static_cast<unsigned char>(c) & 0xC0U) != 0x80; });
    EXPECT_LE(columns, 100) << line;
  }
}

}  // namespace
}  // namespace assay::render
