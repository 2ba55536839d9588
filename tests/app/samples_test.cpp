#include "assay/app/samples.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <nlohmann/json.hpp>
#include <sstream>

#include "assay/model/error.hpp"
#include "assay/setup/run_plan.hpp"
#include "support/plans.hpp"
#include "support/records.hpp"
#include "support/tool.hpp"

namespace assay::app {
namespace {

using nlohmann::json;
using test::Scratch;

TEST(Samples, OneJsonObjectForEachJudgedReading) {
  auto record = test::record_of({{1.5, 2.5}, {3.5, 4.5}});
  record.design.cells[CellId{1}].setting.levels["locks"] = std::int64_t{400};
  std::istringstream lines(to_samples(record));
  std::vector<json> all;
  for (std::string line; std::getline(lines, line);) all.push_back(json::parse(line));
  ASSERT_EQ(all.size(), 4U) << "not the warm-up";
  EXPECT_EQ(all[0]["value"], 1.5);
  EXPECT_EQ(all[0]["candidate"], "list");
  EXPECT_EQ(all[1]["setting"]["locks"], 400);
  EXPECT_EQ(all[3]["round"], 3);
}

TEST(Samples, GoWhereTheVariableReports) {
  const auto record = test::record_of({{1.5, 2.5}, {3.5, 4.5}});
  unsetenv("ASSAY_SAMPLES");
  EXPECT_NO_THROW(write_samples(record));
  setenv("ASSAY_SAMPLES", "987", 1);
  EXPECT_THROW(write_samples(record), Error);
  setenv("ASSAY_SAMPLES", "three", 1);
  EXPECT_THROW(write_samples(record), Error);
  unsetenv("ASSAY_SAMPLES");
}

TEST(Samples, APlanReadsThoseOfAContest) {
  Plan plan{.rounds = {.min = 6, .max = 6}};
  const std::string program = std::string(ASSAY_BUILD) + "/examples/shortest_route";
  plan.candidates = {{.name = "small", .exe = program, .with = {{"locks", std::int64_t{25}}}},
                     {.name = "large", .exe = program, .with = {{"locks", std::int64_t{200}}}}};
  plan.workloads = {
      {.name = "routes",
       .run = {"${exe}", "--no-twin", "--rounds", "6", "--budget", "20ms", "--only", "locks=${locks}"}}};
  plan.metrics = {{.metric = {.name = "list, time per call", .unit = "s"},
                   .from = "samples",
                   .pattern = R"("candidate":"list".*"metric":"time per call".*"value":([-+0-9.e]+))"}};
  plan.watch = {"list, time per call"};
  const auto findings = setup::run_plan(plan);
  const auto& f = test::finding_on(findings, "list, time per call");
  EXPECT_EQ(f.verdict, Verdict::worse);
  EXPECT_GT(f.effect.value, 5) << "eight times the locks, at the square";
}

}  // namespace
}  // namespace assay::app
