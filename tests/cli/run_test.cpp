#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "support/tool.hpp"

namespace assay::test {
using namespace model;
namespace {

using nlohmann::json;
using testing::HasSubstr;
using testing::Not;

const std::string two_ways = std::string(R"(
[plan]
title = "Two ways"
baseline = "calm"
[rounds]
max = 6
[[factor]]
name = "work"
levels = ["0.002", "0.01"]
[[candidate]]
name = "calm"
exe = ")") + BEHAVE + R"("
with = { extra = "1" }
[[candidate]]
name = "busy"
exe = ")" + BEHAVE + R"("
with = { extra = "30" }
[[workload]]
name = "spin"
run = ["${exe}", "spin", "${work}", "touch", "${extra}", "say", "total 3"]
check = { equal = "stdout", match = "^total" }
)";

TEST(Run, CarriesOutThePlanOfThisFolder) {
  const Scratch scratch;
  scratch.file("assay.toml", two_ways);
  const auto ran = assay(scratch, {"run"});
  EXPECT_EQ(ran.status, 0) << ran.err;
  EXPECT_THAT(ran.out, HasSubstr("Two ways"));
  EXPECT_THAT(ran.out, HasSubstr("\n  0.002 "));
  EXPECT_THAT(ran.out, HasSubstr("\n   0.01 "));
  EXPECT_TRUE(std::filesystem::exists(scratch.path(".assay/ledger.db")));
}

TEST(Run, ShowPrintsCellsAndCommandsAndRunsNothing) {
  const Scratch scratch;
  scratch.file("plans/assay.toml", two_ways);
  const auto ran = assay(scratch, {"run", "--show", "plans/assay.toml"});
  EXPECT_EQ(ran.status, 0) << ran.err;
  EXPECT_THAT(ran.out, HasSubstr("4 cells, 2 comparisons with calm, a twin of each baseline beside them, 6 "
                                 "rounds after the warm-up\n"));
  EXPECT_THAT(ran.out, HasSubstr(std::string("busy: ") + BEHAVE + " spin 0.01 touch 30 say 'total 3'"));
  EXPECT_FALSE(std::filesystem::exists(scratch.path("plans/.assay")));
}

TEST(Verdict, ShowsTheSameAgain) {
  const Scratch scratch;
  scratch.file("assay.toml", two_ways);
  const auto first = assay(scratch, {"run", "--json"});
  ASSERT_EQ(first.status, 0) << first.err;
  EXPECT_EQ(json::parse(assay(scratch, {"verdict", "--json"}).out), json::parse(first.out));
  const auto id = json::parse(first.out)["campaign"]["id"].get<std::string>();
  EXPECT_EQ(assay(scratch, {"verdict", id.substr(0, 6)}).status, 0);
  EXPECT_EQ(assay(scratch, {"verdict", "nothing-like-it"}).status, 2);
}

TEST(Verdict, LastIsTheNewestOfPlanAndDuel) {
  const Scratch scratch;
  scratch.file("assay.toml", two_ways);
  ASSERT_EQ(assay(scratch, {"run"}).status, 0);
  ASSERT_EQ(
      assay(scratch, {"duel", "--rounds", "6", "--margin", "50%", "sleep", "0.05", "vs", "true"}).status, 0);
  const auto shown = assay(scratch, {"verdict"});
  EXPECT_THAT(shown.out, HasSubstr("change against sleep"));
  EXPECT_THAT(shown.out, Not(HasSubstr("Two ways")));
}

}  // namespace
}  // namespace assay::test
