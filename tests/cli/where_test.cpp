#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <unistd.h>

#include "assay/measure/process.hpp"
#include "assay/measure/sampling.hpp"
#include "support/tool.hpp"

namespace assay {
namespace {

using test::assay;
using test::Scratch;
using testing::HasSubstr;
using testing::Not;

class WhereTest : public testing::Test {
 protected:
  void SetUp() override {
    const std::vector<int> core = {measure::cores_allowed().front()};
    const measure::Sampler tried(getpid(), core, {});
    if (!tried.problem().empty()) GTEST_SKIP() << tried.problem();
  }
  const Scratch scratch_;
};

/// Four times the time in one of two functions: far more than what a busy machine adds to it in one run of ten.
TEST_F(WhereTest, NamesTheFunctionBehindAVerdict) {
  const auto duel = assay(scratch_, {"duel", "--rounds", "8..40", "--names", "list,heap", SAMPLED, "30", "15",
                                     "vs", SAMPLED, "30", "60"});
  ASSERT_EQ(duel.status, 0) << duel.err;
  const auto where = assay(scratch_, {"where", "--rounds", "16"});
  ASSERT_EQ(where.status, 0) << where.err;
  EXPECT_THAT(where.out, HasSubstr("where heap spends more cpu time than list: 16 rounds "));
  EXPECT_THAT(where.out, testing::ContainsRegex("second_part .*! more"));
  EXPECT_THAT(where.out, Not(testing::ContainsRegex("first_part .*(more|less)")));
  EXPECT_THAT(where.out, HasSubstr("together"));
  EXPECT_THAT(assay(scratch_, {"ledger"}).out, HasSubstr("where"));
  const auto kept = assay(scratch_, {"verdict"});
  EXPECT_THAT(kept.out, HasSubstr("heap  slower than list"))
      << "the verdict of the duel, and what was found since";
  EXPECT_THAT(kept.out, HasSubstr(where.out));
  EXPECT_EQ(assay(scratch_, {"verdict", "--where"}).out, where.out);
  EXPECT_THAT(assay(scratch_, {"report", "--as", "markdown"}).out, HasSubstr(where.out));
  const auto once_more = assay(scratch_, {"where", "--rounds", "8"});
  EXPECT_EQ(once_more.status, 0) << once_more.err << "what it looks into is what was found before it";
  EXPECT_THAT(once_more.out, testing::ContainsRegex("second_part .*! more"));
}

TEST_F(WhereTest, FollowsADuelThatAsksForIt) {
  const auto duel = assay(scratch_, {"duel", "--where", "--rounds", "8..40", "--names", "list,heap", SAMPLED,
                                     "30", "15", "vs", SAMPLED, "30", "45"});
  EXPECT_EQ(duel.status, 0) << duel.err;
  EXPECT_THAT(duel.out, testing::ContainsRegex("second_part .*! more"));
  const auto json = assay(scratch_, {"duel", "--where", "--json", "true", "vs", "true"});
  EXPECT_EQ(json.status, 2);
  EXPECT_THAT(json.err, HasSubstr("leave out --json"));
}

TEST_F(WhereTest, SaysWhyThereIsNothingToLookFor) {
  ASSERT_EQ(assay(scratch_, {"duel", "--rounds", "6", "--names", "a,b", SAMPLED, "20", "20", "vs", SAMPLED,
                             "20", "20", "same"})
                .status,
            0);
  const auto none = assay(scratch_, {"where"});
  if (none.status != 0)
    EXPECT_THAT(none.err, HasSubstr("--only candidate=NAME looks into a comparison all the same"));
  const auto asked = assay(scratch_, {"where", "--only", "candidate=b", "--rounds", "6"});
  EXPECT_EQ(asked.status, 0) << asked.err;
  EXPECT_THAT(asked.out, HasSubstr("together"));
  const auto unknown = assay(scratch_, {"where", "--only", "candidate=nobody"});
  EXPECT_EQ(unknown.status, 2);
}

/// A server that works for each request takes more than ten half intervals longer for it.
TEST_F(WhereTest, OfServersItShowsTheTimeOfARequest) {
  const auto duel =
      assay(scratch_, {"duel", "--serve", "/locks", "--requests", "600", "--rounds", "6..40", "--names",
                       "plain,busy", SERVE, "PORT", "plain", "vs", SERVE, "PORT", "work", "100000"});
  ASSERT_EQ(duel.status, 0) << duel.err;
  const auto where = assay(scratch_, {"where", "--rounds", "8"});
  ASSERT_EQ(where.status, 0) << where.err;
  EXPECT_THAT(where.out, HasSubstr("where busy spends more cpu time for each request than plain: 8 rounds"));
  EXPECT_THAT(where.out, testing::ContainsRegex("together .* µs"));
  EXPECT_THAT(where.out, HasSubstr("! more"));
}

/// A list takes many times what a heap takes, in its own function.
TEST_F(WhereTest, OfAContestItShowsTheFunctionsInsideOfThoseCompared) {
  const std::string program = std::string(ASSAY_BUILD) + "/examples/shortest_route";
  const std::vector<std::string> quick = {"--rounds", "8",    "--budget", "800ms",     "--allowance", "30s",
                                          "--ledger", "l.db", "--only",   "locks=200", "--no-twin"};
  const auto contest = [&](std::vector<std::string> options) {
    options.insert(options.begin(), quick.begin(), quick.end());
    options.insert(options.begin(), program);
    return test::run(scratch_, options);
  };
  const auto ran = contest({"--where"});
  ASSERT_EQ(ran.status, 0) << ran.err;
  EXPECT_THAT(
      ran.out,
      HasSubstr("where heap spends less cpu time for each call than list on locks=200: 8 rounds in slices"));
  const auto block = ran.out.substr(ran.out.find("where heap"));
  EXPECT_THAT(block, testing::ContainsRegex(" \\+ less")) << "functions that list alone calls";
  EXPECT_THAT(block, HasSubstr("together"));
  EXPECT_THAT(ran.out, Not(HasSubstr("machine code")));
  const auto kept = assay(scratch_, {"verdict", "--ledger", "l.db"});
  EXPECT_THAT(kept.out, HasSubstr("heap  faster than list"));
  EXPECT_THAT(kept.out, HasSubstr("where heap spends less cpu time for each call"));
  const auto again = assay(scratch_, {"where", "--ledger", "l.db"});
  EXPECT_EQ(again.status, 2);
  EXPECT_THAT(again.err, HasSubstr("run it with --where"));
  EXPECT_THAT(contest({"--where", "--json"}).out, HasSubstr("\"per_call\": true"));
}

TEST_F(WhereTest, AGateThatDoesNotPassNamesTheFunction) {
  scratch_.file("assay.toml", std::string("[rounds]\nmin = 8\nmax = 40\n[gate]\nwhere = true\n") +
                                  "[[candidate]]\nname = \"list\"\nrun = [\"" + SAMPLED +
                                  "\", \"30\", \"15\"]\n[[candidate]]\nname = \"heap\"\nrun = [\"" + SAMPLED +
                                  "\", \"30\", \"45\"]\n[[candidate]]\nname = \"quick\"\nrun = [\"" +
                                  SAMPLED + "\", \"5\", \"5\"]\n[[workload]]\nname = \"orders\"\n");
  const auto run = assay(scratch_, {"run", scratch_.path("assay.toml")});
  ASSERT_EQ(run.status, 0) << run.err;
  const auto ledger = scratch_.path(".assay/ledger.db");
  const auto gate = assay(scratch_, {"gate", "--ledger", ledger, "--junit", scratch_.path("gate.xml")});
  EXPECT_EQ(gate.status, 1) << gate.err;
  EXPECT_THAT(gate.out, HasSubstr("the gate does not pass"));
  EXPECT_THAT(gate.out, testing::ContainsRegex("second_part .*! more"));
  EXPECT_THAT(gate.out, HasSubstr("where heap spends more cpu time than list"));
  EXPECT_THAT(gate.out, Not(HasSubstr("where quick"))) << "the larger change passes";
  EXPECT_THAT(test::read_file(scratch_.path("gate.xml")), HasSubstr("second_part"));
  const auto once_more = assay(scratch_, {"gate", "--ledger", ledger});
  EXPECT_EQ(once_more.status, 1);
  EXPECT_EQ(once_more.out, gate.out) << "what is known is not measured again";
}

}  // namespace
}  // namespace assay
