#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

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
  EXPECT_THAT(ran.out, HasSubstr("hasty  left out, its answer is wrong"));
  EXPECT_THAT(ran.out, HasSubstr("locks=3200"));
  const auto document = json::parse(read_file(scratch.path("canals/findings.json")));
  EXPECT_GE(document["findings"].size(), 12U);
  EXPECT_EQ(document["standings"].size(), 6U);
}

TEST(Examples, CompareProgramsPrintsFindings) {
  const Scratch scratch;
  ASSERT_EQ(run(scratch, {towpath + "/towpath-generate", ".", "400", "200", "3"}).status, 0);
  const auto ran = run(scratch, {build + "/examples/compare_programs", towpath + "/towpath-list",
                                 towpath + "/towpath-heap", "net-400.txt", "orders-400.txt"});
  EXPECT_EQ(ran.status, 0) << ran.err;
  EXPECT_THAT(ran.out, HasSubstr("Two ways of planning routes"));
  EXPECT_THAT(ran.out, HasSubstr("10 rounds"));
}

TEST(Examples, JudgeNumbersTellsItsVerdict) {
  const Scratch scratch;
  const auto ran = run(scratch, {build + "/examples/judge_numbers"});
  EXPECT_EQ(ran.status, 0);
  EXPECT_THAT(ran.out, HasSubstr("the new timetable is better: travel time times 0.94657"));
}

}  // namespace
}  // namespace assay::test
