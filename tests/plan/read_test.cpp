#include <gtest/gtest.h>

#include "assay/metrics/catalogue.hpp"
#include "assay/model/error.hpp"
#include "assay/plan/cells.hpp"
#include "assay/plan/plan_file.hpp"
#include "support/tool.hpp"

namespace assay::plan {
namespace {

constexpr const char* full = R"(
[plan]
title    = "Towpath"
baseline = "list"
margin   = "2 %"
watch    = ["wall time", "peak memory"]
seed     = 12

[rounds]
min = 8
max = 30
budget = "10 min"

[[factor]]
name = "locks"
levels = [200, 800]
role = "size"

[[factor]]
name = "cache"
levels = ["on", "off", true, 0.5]

[[candidate]]
name = "list"
exe = "bin/list"

[[candidate]]
name = "heap"
exe = "bin/heap"
with = { cache = "on", depth = 3 }

[[workload]]
name = "orders"
run = ["${exe}", "plan", "net-${locks}.txt", "$${HOME}"]
stdin = "orders.txt"
check = { equal = "stdout", match = '^total \d+', exit_ok = [0, 3] }
skip = ["heap"]
timeout = "30 s"
weight = 2.5

[[workload]]
name = "load"
run = ["${exe}", "load", "${candidate}"]
)";

TEST(ReadPlan, TakesEveryKey) {
  const auto plan = read(full, "assay.toml", "/barges");
  EXPECT_EQ(plan.title, "Towpath");
  EXPECT_EQ(plan.baseline, "list");
  EXPECT_DOUBLE_EQ(plan.margin, 0.02);
  EXPECT_EQ(plan.watch, (std::vector<std::string>{"wall time", "peak memory"}));
  EXPECT_EQ(plan.seed, 12U);
  EXPECT_EQ(plan.rounds, (PlannedRounds{.min = 8, .max = 30, .budget = 600.0, .twin = true}));
  ASSERT_EQ(plan.factors.size(), 2U);
  EXPECT_EQ(plan.factors[0].role, Factor::Role::size);
  EXPECT_EQ(plan.factors[1].levels, (std::vector<Level>{std::string("on"), std::string("off"), true, 0.5}));
  EXPECT_EQ(plan.candidates[1].with.at("depth"), Level{std::int64_t{3}});
  const auto& orders = plan.workloads[0];
  EXPECT_EQ(orders.stdin_file, "orders.txt");
  EXPECT_EQ(orders.check, (OutputCheck{.equal = "stdout", .match = "^total \\d+", .exit_ok = {0, 3}}));
  EXPECT_EQ(orders.skip, std::vector<std::string>{"heap"});
  EXPECT_EQ(orders.timeout, 30);
  EXPECT_EQ(orders.weight, 2.5);
  EXPECT_EQ(plan.folder, "/barges");
}

const std::string controlled = R"(
[plan]
watch = ["rate"]
[rounds]
mode = "turns"
[control]
cores        = [0, 1]
cold         = ["net-${locks}.txt"]
environment  = ["PATH", "LOCKS=${locks}"]
memory_limit = "64 MiB"
[[factor]]
name = "locks"
levels = [200, 800]
[[candidate]]
name = "list"
exe = "./list"
[[candidate]]
name = "heap"
exe = "./heap"
[[workload]]
name   = "orders"
run    = ["${exe}"]
nice   = 2
before = ["cp", "${folder}/net.txt", "."]
after  = { run = ["rm", "net.txt"], timeout = "5 s" }
fresh  = true
keep_output = false
work   = "${locks} routes"
[[workload]]
name = "reach"
run  = ["${exe}", "reach"]
environment = []
[[metric]]
name    = "rate"
from    = "out-${locks}.txt"
pattern = '^rate (\d+)'
unit    = "1/s"
prefer  = "higher"
pick    = "q99"
margin  = "2 %"
workloads = ["orders"]
[[metric]]
name   = "peak memory"
margin = "10 %"
)";

TEST(ReadPlan, ControlIsInheritedAndRefinedByWorkloads) {
  const auto plan = read(controlled, "assay.toml", "/barges");
  const auto &orders = plan.workloads[0].control, &reach = plan.workloads[1].control;
  EXPECT_EQ(orders.cores, (std::vector{0, 1}));
  EXPECT_EQ(orders.memory_limit, 64U << 20U);
  EXPECT_EQ(orders.nice, 2);
  EXPECT_EQ(reach.nice, 0);
  EXPECT_EQ(orders.before, (Hook{.run = {"cp", "${folder}/net.txt", "."}, .timeout = 60}));
  EXPECT_EQ(orders.after.timeout, 5);
  EXPECT_EQ(orders.environment->size(), 2U);
  EXPECT_TRUE(reach.environment->empty());
  EXPECT_EQ(plan.metrics[0].aggregate, (Aggregate{.kind = Aggregate::Kind::quantile, .probability = 0.99}));
  auto refined = metrics::find_metric_info("peak memory")->metric;
  refined.request.margin = 0.1;
  EXPECT_EQ(plan.metrics[1].metric, refined);
  EXPECT_EQ(read(to_toml(plan), "again.toml", "/barges"), plan);
}

TEST(ExpandCells, FillsPlaceholdersInControlWorkAndMetrics) {
  const auto cells = expand_cells(read(controlled, "assay.toml", "/barges"));
  const auto& last = cells[CellId{2}];  // list at 800 locks on the first workload
  EXPECT_EQ(last.control.cold, std::vector<std::string>{"net-800.txt"});
  EXPECT_EQ(last.control.before.run[1], "/barges/net.txt");
  EXPECT_EQ(last.control.environment->at(1), "LOCKS=800");
  EXPECT_EQ(last.work, 800);
  EXPECT_EQ(last.metric_files.at(0), "out-800.txt");
}

TEST(ReadPlan, ReadsWhatWasWritten) {
  const auto plan = read(full, "assay.toml", "/barges");
  EXPECT_EQ(read(to_toml(plan), "again.toml", "/barges"), plan);
}

TEST(ReadPlan, ASmallPlanGetsSensibleDefaults) {
  const auto plan = read(
      "[[candidate]]\nname='a'\nexe='./a'\n[[candidate]]\nname='b'\nexe='./b'\n"
      "[[workload]]\nname='w'\nrun=['${exe}']\n",
      "p", ".");
  EXPECT_DOUBLE_EQ(plan.margin, 0.01);
  EXPECT_EQ(plan.workloads[0].timeout, 600);
  EXPECT_TRUE(plan.baseline.empty());
}

TEST(ReadPlan, OneEndOfTheRoundsMovesTheOther) {
  const std::string rest =
      "\n[[candidate]]\nname='a'\nexe='./a'\n[[candidate]]\nname='b'\nexe='./b'\n"
      "[[workload]]\nname='w'\nrun=['${exe}']\n";
  EXPECT_EQ(read("[rounds]\nmax = 9" + rest, "p", ".").rounds.max, 9);
  EXPECT_LE(read("[rounds]\nmax = 9" + rest, "p", ".").rounds.min, 9);
  EXPECT_EQ(read("[rounds]\nmin = 90" + rest, "p", ".").rounds.max, PlannedRounds::open_end);
  EXPECT_EQ(read("[rounds]\nmin = 9\nmax = 90" + rest, "p", ".").rounds.max, 90);
}

TEST(ReadPlanFile, TakesTheFilesFolder) {
  const test::Scratch scratch;
  const auto path = scratch.file("plans/assay.toml", full);
  EXPECT_EQ(read_file(path).folder, scratch.path("plans"));
  EXPECT_THROW(read_file(scratch.path("none.toml")), Error);
  EXPECT_THROW(read_file(scratch.path()), Error);
}

}  // namespace
}  // namespace assay::plan
