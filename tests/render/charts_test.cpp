// What a page draws of servers, and of several machines.

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "assay/judge/judge.hpp"
#include "assay/render/documents.hpp"
#include "assay/stats/log_histogram.hpp"
#include "support/made.hpp"
#include "support/records.hpp"

namespace assay::render {
namespace {

using testing::HasSubstr;
using testing::Not;

/// Two servers at three rates; every trial of a thousand requests has latencies from 1 ms on, of the second
/// twice as long and with one in twenty failed.
Record servers() {
  test::Made made("servers");
  made.design().factors = {{.name = "rate", .levels = {}}};
  const auto rate =
      made.metric({.name = "requests per second", .unit = "1/s", .direction = Direction::higher});
  const auto failed = made.metric({.name = "failed requests", .unit = "pts", .scale = Scale::difference});
  const auto plain = made.candidate("plain"), slow = made.candidate("slow");
  for (const std::int64_t level : {100, 200, 400})
    for (const auto candidate : {plain, slow}) {
      const auto cell = made.cell(candidate, {}, {{{"rate", level}}});
      made.around(cell, rate, static_cast<double>(level), 8);
      made.values(cell, failed, std::vector<double>(8, candidate == slow ? 5.0 : 0.0));
    }
  auto record = made.record();
  for (auto& trial : record.log.trials) {
    const bool is_slow = record.design.cells[trial.cell].candidate == slow;
    stats::LogHistogram histogram;
    for (int i = 0; i < (is_slow ? 950 : 1000); ++i)
      histogram.add((is_slow ? 0.002 : 0.001) * (1 + 0.001 * i));
    trial.latencies = histogram.text();
    trial.calls = 1000;
  }
  return record;
}

TEST(LatencyCharts, DrawEachPlaceByQuantileAndRatesOverTheFactor) {
  const auto record = servers();
  const auto page = to_page(judge::judge_record(record), record);
  for (const char* place : {"rate=100", "rate=200", "rate=400"})
    EXPECT_THAT(page, HasSubstr(std::string("Latency by quantile, ") + place));
  EXPECT_THAT(page, HasSubstr("requests per second over rate"));
  EXPECT_THAT(page, HasSubstr(R"({"candidate":"plain","slower":0.5,"quantile":"p50","value":1.5)"));
  EXPECT_THAT(page, HasSubstr(R"({"candidate":"slow","slower":0.1,"quantile":"p90","value":3.7)"))
      << "the failed ones count: nine tenths of all are 94.7 % of those that were answered";
  EXPECT_THAT(page, Not(HasSubstr(R"({"candidate":"slow","slower":0.025)"))) << "that request failed";
  EXPECT_THAT(page, HasSubstr(R"({"candidate":"plain","slower":0.005,"quantile":"p99.5")"));
}

TEST(LatencyCharts, NotDrawnForPrograms) {
  test::Made made("programs");
  const auto time = made.wall_time();
  for (const char* name : {"list", "heap"}) made.around(made.cell(made.candidate(name)), time, 1, 8);
  const auto record = made.record();
  EXPECT_THAT(to_page(judge::judge_record(record), record), Not(HasSubstr("Latency by quantile")));
}

/// Of two machines that run rounds in turn; on the second the candidate takes so many times as long.
std::string page_of_two_machines(double there) {
  std::vector<double> list, heap;
  for (int round = 0; round < 24; ++round) {
    list.push_back(1 + 0.001 * (round % 5));
    heap.push_back((round % 2 == 0 ? 0.9 : there) + 0.001 * (round % 7));
  }
  auto record = test::record_of({list, heap});
  test::run_on_machines(record, 2);
  return to_page(judge::judge_record(record), record);
}

TEST(MachineCharts, ShowEachMachinesChangeAndOpenWhereTheyDiffer) {
  const auto alike = page_of_two_machines(0.9), opposite = page_of_two_machines(1.1);
  for (const auto& page : {alike, opposite}) {
    EXPECT_THAT(page, HasSubstr("Each machine's change"));
    EXPECT_THAT(page, HasSubstr(R"("row":"machine 1")"));
    EXPECT_THAT(page, HasSubstr(R"("row":"machine 2")"));
    EXPECT_THAT(page, HasSubstr(R"("rounds":12,"verdict":null)"));
  }
  EXPECT_THAT(alike, HasSubstr("<details><summary>Each machine's change"));
  EXPECT_THAT(opposite, HasSubstr("<details open><summary>Each machine's change"));
  const auto one = test::record_of({std::vector<double>(24, 1.0), std::vector<double>(24, 0.9)});
  EXPECT_THAT(to_page(judge::judge_record(one), one), Not(HasSubstr("Each machine's change")));
}

}  // namespace
}  // namespace assay::render
