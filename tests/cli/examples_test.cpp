#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "support/findings_json.hpp"
#include "support/tool.hpp"

namespace assay::test {
namespace {

using nlohmann::json;
using testing::HasSubstr;

const std::string build = ASSAY_BUILD;
const std::string towpath = TOWPATH_PROGRAMS;

TEST(Towpath, TheSameSeedMakesTheSameNetworkAndHastyAloneAnswersOtherwise) {
  const Scratch scratch;
  std::filesystem::create_directories(scratch.path("again"));
  for (const auto* folder : {".", "again"})
    ASSERT_EQ(run(scratch, {towpath + "/towpath-generate", folder, "400", "100", "3"}).status, 0);
  EXPECT_EQ(read_file(scratch.path("net-400.txt")), read_file(scratch.path("again/net-400.txt")));
  const auto answer = [&](const std::string& name, const std::vector<std::string>& task) {
    std::vector<std::string> command = {towpath + "/towpath-" + name};
    command.insert(command.end(), task.begin(), task.end());
    return run(scratch, command).out;
  };
  for (const auto& task :
       {std::vector<std::string>{"plan", "net-400.txt", "orders-400.txt"}, {"reach", "net-400.txt", "20"}}) {
    const auto list = answer("list", task);
    EXPECT_THAT(list, HasSubstr("\ntotal "));
    EXPECT_EQ(answer("heap", task), list);
    EXPECT_EQ(answer("goal", task), list);
    EXPECT_NE(answer("hasty", task), list);
  }
  EXPECT_THAT(answer("list", {"load", "net-400.txt", "2"}), HasSubstr("canals"));
}

TEST(Demo, RunsWhollyAndLeavesItsFindings) {
  const Scratch scratch;
  const auto ran = assay(scratch, {"demo", "--rounds", "6", "canals"});
  ASSERT_EQ(ran.status, 0) << ran.err;
  EXPECT_THAT(ran.err, HasSubstr("the same as: cd canals && assay run --rounds 6\n"));
  EXPECT_THAT(ran.out, HasSubstr("hasty  left out, its answer is wrong"));
  EXPECT_THAT(ran.out, HasSubstr("locks=3200"));
  const auto document = json::parse(read_file(scratch.path("canals/findings.json")));
  EXPECT_GE(document["findings"].size(), 12U);
  EXPECT_EQ(document["statuses"].size(), 6U);
}

TEST(Demo, KnowsItsPlans) {
  const Scratch scratch;
  const auto ran = assay(scratch, {"demo", "weirs", "canals"});
  EXPECT_EQ(ran.status, 2);
  EXPECT_THAT(ran.err, HasSubstr("write commits, history, matrix, options, services, stages or team"));
  EXPECT_EQ(assay(scratch, {"demo", "history", "--rounds", "6"}).status, 2);
}

TEST(Examples, CompareProgramsPrintsFindings) {
  const Scratch scratch;
  ASSERT_EQ(run(scratch, {towpath + "/towpath-generate", ".", "400", "200", "3"}).status, 0);
  const auto ran = run(scratch, {build + "/examples/compare_programs", towpath + "/towpath-list",
                                 towpath + "/towpath-heap", "net-400.txt", "orders-400.txt"});
  EXPECT_LE(ran.status, 1) << ran.err;  // 1: heap is slower here, by more than it allows
  EXPECT_THAT(ran.out, HasSubstr("Two ways of planning routes"));
  EXPECT_THAT(ran.out, HasSubstr("10 rounds"));
  EXPECT_THAT(test::read_file(scratch.path("results.html")),
              HasSubstr("<h1>Two ways of planning routes</h1>"));
}

TEST(Examples, TwoFunctionsPrintsItsComparison) {
  const Scratch scratch;
  const auto ran = run(scratch, {build + "/examples/two_functions"});
  EXPECT_EQ(ran.status, 0) << ran.err;
  EXPECT_THAT(ran.out, testing::StartsWith("looking: ")) << "whichever is quicker, without optimisation";
}

/// A contest program's findings document, from a few quick rounds.
json contest(const std::string& name, std::vector<std::string> options = {}) {
  const Scratch scratch;
  options.insert(options.begin(), {build + "/examples/" + name, "--json", "--rounds", "7", "--budget",
                                   "100ms", "--allowance", "30s"});
  const auto ran = run(scratch, options);
  EXPECT_EQ(ran.status, 0) << ran.err;
  return json::parse(ran.out, nullptr, false);
}

TEST(Examples, ShortestRouteTellsGrowthAndTheBetterSearch) {
  const auto document = contest("shortest_route");
  EXPECT_EQ(document["statuses"].size(), 0U);
  ASSERT_EQ(document["scaling"].size(), 2U);
  const double list = document["scaling"][0]["exponent"], heap = document["scaling"][1]["exponent"];
  EXPECT_GT(list, heap + 0.2) << "a list that is scanned grows faster than a heap";
  EXPECT_EQ(document["campaign"]["kind"], "contest");
}

TEST(Examples, SmoothLevelsAgreeWithinATolerance) {
  const auto document = contest("smooth_levels");
  EXPECT_EQ(document["statuses"].size(), 0U) << document["statuses"];
  EXPECT_EQ(finding_on(document, "time per call")["candidate"], "running sum");
  EXPECT_EQ(finding_on(document, "throughput")["unit"], "levels/s");
  EXPECT_EQ(document["requirements"].size(), 2U);
}

TEST(Examples, LockNamesTellTheFirstCallApart) {
  const auto document = contest("lock_names", {"--only", "locks=2000"});
  const auto first = finding_on(document, "first call");
  EXPECT_GT(first["ratio"], 2.0);
  EXPECT_EQ(finding_on(document, "time per call")["verdict"], "better");
}

TEST(Examples, ItinerariesCountWhatTheyAllocate) {
  const auto document = contest("itineraries");
  const auto calls = finding_on(document, "allocations");
  EXPECT_EQ(calls["method"], "compared directly");
  EXPECT_EQ(calls["candidate_typical"], 1) << "one buffer, reserved at once";
  EXPECT_GT(calls["baseline_typical"], 200) << "every line is longer than what a string holds in itself";
  EXPECT_EQ(finding_on(document, "allocated bytes")["verdict"], "better");
}

TEST(ContestPrograms, SayWhatIsWrongWithTheRequest) {
  const Scratch scratch;
  const auto says = [&](const std::vector<std::string>& options) {
    auto command = options;
    command.insert(command.begin(), build + "/examples/shortest_route");
    const auto ran = run(scratch, command);
    EXPECT_EQ(ran.status, 2) << ran.out;
    return ran.err;
  };
  EXPECT_THAT(says({"--rounds", "3"}), HasSubstr("3 rounds can't decide anything"));
  EXPECT_THAT(says({"--only", "locks"}), HasSubstr("does not choose a level"));
  EXPECT_THAT(says({"--only", "locks=7"}), HasSubstr("7 is not a level of locks"));
  EXPECT_THAT(says({"--margin", "big"}), HasSubstr("\"big\" is not a share"));
  EXPECT_EQ(run(scratch, {build + "/examples/shortest_route", "--help"}).status, 0);
}

TEST(ContestPrograms, KeepTheirRoundsInALedgerThatTheToolShows) {
  const Scratch scratch;
  ASSERT_EQ(run(scratch,
                {build + "/examples/smooth_levels", "--rounds", "6", "--budget", "60ms", "--ledger", "l.db"})
                .status,
            0);
  const auto shown = assay(scratch, {"verdict", "--ledger", "l.db"});
  EXPECT_EQ(shown.status, 0) << shown.err;
  EXPECT_THAT(shown.out, HasSubstr("smoothing water levels"));
  EXPECT_THAT(shown.out, HasSubstr("required, time per call < 2 ms"));
}

TEST(Examples, JudgeNumbersTellsItsVerdict) {
  const Scratch scratch;
  const auto ran = run(scratch, {build + "/examples/judge_numbers"});
  EXPECT_EQ(ran.status, 0);
  EXPECT_THAT(ran.out, HasSubstr("new is better than old: travel time −5.3 % ("));
}

}  // namespace
}  // namespace assay::test
