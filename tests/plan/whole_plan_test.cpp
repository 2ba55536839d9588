#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "assay/model/error.hpp"
#include "assay/plan/cells.hpp"
#include "assay/plan/plan_file.hpp"

namespace assay::plan {
namespace {
using testing::ElementsAre;
using testing::HasSubstr;

const std::string text = R"(
[plan]
baseline = "list"
[build]
steps = [["c++", "${level}", "-o", "${out}/towpath", "main.cpp"]]
exe = "${out}/towpath"
source = "repository"
identify = ["${exe}", "--version"]
[[factor]]
name = "locks"
levels = [200, 800]
[[candidate]]
name = "list"
exe = "./list"
[[candidate]]
commits = ["v0.4", "."]
with = { level = "-O2" }
[[candidate]]
name = "heap"
exe = "./heap"
against = "v0.4"
[[workload]]
name = "orders"
run = ["${exe}", "${locks}"]
check = { file = "answer-${locks}.txt", tolerance = 1e-6, min_size = "2 B", program = ["./checker", "${locks}"] }
skip = ["heap"]
[[workload]]
name = "reach"
run = ["${exe}", "${locks}"]
check = { equal = "stdout", match = "^total" }
)";

std::vector<std::string> names(const Plan& plan) {
  std::vector<std::string> all;
  for (const auto& candidate : plan.candidates) all.push_back(candidate.name);
  return all;
}

TEST(AWholePlan, GivesCommitsTheBuildAndTheirNames) {
  const auto plan = read(text, "p.toml", "/canal");
  EXPECT_THAT(names(plan), ElementsAre("list", "v0.4", "working tree", "heap"));
  EXPECT_TRUE(plan.candidates[0].build.steps.empty()) << "a program that is there is not built";
  EXPECT_EQ(plan.candidates[1].commit, "v0.4");
  EXPECT_EQ(plan.candidates[2].commit, ".");
  EXPECT_EQ(plan.candidates[2].source, "repository");
  EXPECT_EQ(plan.candidates[2].identify.size(), 2U);
  EXPECT_TRUE(plan.rounds.twin) << "on by default in plans";
  const auto steps = expand_steps(plan, CandidateId{1}, all_settings(plan.factors).front());
  EXPECT_THAT(steps, ElementsAre(ElementsAre("c++", "-O2", "-o", "${out}/towpath", "main.cpp")));
}

TEST(PlanWriter, WritesAPlanThatReadsBackTheSame) {
  const auto plan = read(text, "p.toml", "/canal");
  EXPECT_EQ(read(to_toml(plan), "again.toml", "/canal"), plan);
}

TEST(AWholePlan, TakesCommitsInPlaceOfItsCandidates) {
  const std::string bare = R"(
[build]
steps = [["make"]]
exe = "${out}/towpath"
[[workload]]
name = "orders"
run = ["${exe}"]
)";
  const auto plan = read(bare, "p.toml", ".", {"main", "HEAD", "."});
  EXPECT_THAT(names(plan), ElementsAre("main", "HEAD", "working tree"));
  EXPECT_EQ(baseline_of(plan), CandidateId{0});
  EXPECT_THAT(names(read(text + "", "p.toml", ".", {"v0.3", "v0.4"})), ElementsAre("v0.3", "v0.4"));
  try {
    read("[[workload]]\nname='w'\nrun=['x']\n", "p.toml", ".", {"a", "b"});
    FAIL();
  } catch (const Error& error) {
    EXPECT_THAT(error.what(), HasSubstr("does not say how a commit is built"));
  }
}

TEST(AWholePlan, HoldsCandidatesAgainstTheirOwnBaselines) {
  const auto plan = read(text, "p.toml", "/canal");
  EXPECT_EQ(baseline_of(plan, CandidateId{3}), CandidateId{1});
  EXPECT_EQ(baseline_of(plan, CandidateId{1}), CandidateId{0});
  EXPECT_EQ(baseline_of(plan, CandidateId{0}), std::nullopt);
  EXPECT_THAT(baselines_of(plan), ElementsAre(CandidateId{0}, CandidateId{1}));
}

TEST(AWholePlan, ShowsSkippedCellsAsAbsent) {
  const auto plan = read(text, "p.toml", "/canal");
  const auto cells = expand_cells(plan);
  EXPECT_EQ(cells.size(), 4U * 2 * 2);
  int absent = 0;
  for (const auto& planned : cells) absent += planned.state.code == StatusCode::unsupported ? 1 : 0;
  EXPECT_EQ(absent, 2);
  EXPECT_EQ(comparisons_of(cells, plan).size(), 3U * 2 * 2 - 2);
}

TEST(AWholePlan, GivesEachBaselineInUseATwin) {
  const auto plan = read(text, "p.toml", "/canal");
  auto cells = expand_cells(plan);
  auto comparisons = comparisons_of(cells, plan);
  const auto before = comparisons.size();
  add_twins(plan, cells, comparisons);
  // list in both workloads and sizes; v0.4, heap's baseline, only where heap takes part.
  EXPECT_EQ(comparisons.size() - before, 4U + 2U);
  for (auto i = before; i < comparisons.size(); ++i) {
    const auto &twin = cells[comparisons[i].candidate], &original = cells[comparisons[i].baseline];
    EXPECT_EQ(twin.command, original.command);
    EXPECT_EQ(twin.cell.setting, original.cell.setting);
    EXPECT_GE(twin.cell.candidate.value, static_cast<std::int64_t>(plan.candidates.size()));
  }
}

TEST(NarrowingAPlan, KeepsWhatIsChosenAndItsBaselines) {
  auto plan = read(text, "p.toml", "/canal");
  filter_plan(plan, parse_cell_filter("candidate=heap,workload=reach,locks=800"));
  EXPECT_THAT(names(plan), ElementsAre("list", "v0.4", "heap"));
  ASSERT_EQ(plan.workloads.size(), 1U);
  EXPECT_EQ(plan.workloads[0].name, "reach");
  EXPECT_EQ(expand_cells(plan).size(), 3U);
  auto both = read(text, "p.toml", "/canal");
  filter_plan(both, parse_cell_filter("locks=200,locks=800"));
  EXPECT_EQ(both.factors[0].levels.size(), 2U);
}

TEST(NarrowingAPlan, RefusesWhatIsNotThere) {
  const auto problem = [](const std::string& only) -> std::string {
    auto plan = read(text, "p.toml", "/canal");
    try {
      filter_plan(plan, parse_cell_filter(only));
    } catch (const Error& error) {
      return error.what();
    }
    return "none";
  };
  EXPECT_THAT(problem("lcks=200"),
              HasSubstr("the plan has no \"lcks\" to choose by; did you mean \"locks\"?"));
  EXPECT_THAT(problem("locks=300"), HasSubstr("there is no locks \"300\""));
  EXPECT_THAT(problem("workload=order"), HasSubstr("did you mean \"orders\"?"));
  EXPECT_THAT(problem("workload"), HasSubstr("is not a choice"));
  EXPECT_THAT(problem("candidate=list"), HasSubstr("nothing is left to compare"));
}

}  // namespace
}  // namespace assay::plan
