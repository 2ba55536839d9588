// What a campaign keeps and passes on of what it was given: bytes as they are, no secrets, no folders.

#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <sys/stat.h>
#include <unistd.h>

#include <array>
#include <filesystem>
#include <nlohmann/json.hpp>

#include "support/tool.hpp"

namespace assay {
namespace {

using nlohmann::json;
using test::assay;
using test::Scratch;
using testing::HasSubstr;
using testing::Not;

const std::string latin = "caf\xe9";

/// Two commands that write the same five bytes, one of which is no UTF-8.
std::vector<std::string> same_bytes(std::vector<std::string> options) {
  options.insert(options.begin(), "duel");
  options.insert(options.end(), {"--equal", "--rounds", "7", "--names", "told,coded", "/usr/bin/printf", "%s",
                                 latin, "vs", "/usr/bin/printf", "%b", "caf\\0351"});
  return options;
}

TEST(DuelArguments, ReachTheProgramAsBytes) {
  const Scratch scratch;
  const auto ran = assay(scratch, same_bytes({"--json"}));
  ASSERT_EQ(ran.status, 0) << ran.err;
  EXPECT_TRUE(json::parse(ran.out)["statuses"].empty()) << "an answer was wrong";
  const auto again = assay(scratch, {"again", "--only", "candidate=coded", "--rounds", "7", "--json"});
  ASSERT_EQ(again.status, 0) << again.err;
  EXPECT_TRUE(json::parse(again.out)["statuses"].empty());
}

TEST(DuelArguments, ASavedPlanHasBytesThatAreNoUtf8) {
  const Scratch scratch;
  const auto plan = scratch.path("latin.toml");
  ASSERT_EQ(assay(scratch, same_bytes({"--save-plan", plan})).status, 0);
  EXPECT_THAT(test::read_file(plan), HasSubstr("caf${byte.e9}"));
  const auto ran = assay(scratch, {"run", "--json", plan});
  ASSERT_EQ(ran.status, 0) << ran.err;
  EXPECT_TRUE(json::parse(ran.out)["statuses"].empty());
}

std::vector<std::string> with_token(std::vector<std::string> options) {
  options.insert(options.begin(), "duel");
  options.insert(options.end(),
                 {"--rounds", "7", "--env", "TOKEN=locks-and-weirs,PATH", "--match", "^locks-and-weirs$",
                  "--names", "one,two", BEHAVE, "env", "TOKEN", "vs", BEHAVE, "env", "TOKEN"});
  return options;
}

TEST(DuelVariables, ValuesDoNotMoveTheLedger) {
  const Scratch scratch;
  const auto ran =
      assay(scratch, {"duel", "--rounds", "7", "--env", "XDG_STATE_HOME=" + scratch.path("no"), "--names",
                      "one,two", BEHAVE, "env", "XDG_STATE_HOME", "vs", BEHAVE, "env", "XDG_STATE_HOME"});
  ASSERT_EQ(ran.status, 0) << ran.err;
  EXPECT_NE(test::read_file(scratch.path("state/assay/ledger.db")), "");
}

TEST(DuelVariables, ValuesReachTheProgramAndAreKeptNowhere) {
  const Scratch scratch;
  const auto ledger = scratch.path("l.db");
  const auto ran = assay(scratch, with_token({"--ledger", ledger}));
  ASSERT_EQ(ran.status, 0) << ran.err;
  EXPECT_THAT(ran.out, HasSubstr("wall time")) << "it answered as was asked for, or there would be no values";
  EXPECT_THAT(test::read_file(ledger), HasSubstr("TOKEN"));
  EXPECT_THAT(test::read_file(ledger), Not(HasSubstr("TOKEN=")));
  const auto page = assay(scratch, {"report", "--ledger", ledger, "-o", scratch.path("p.html")});
  EXPECT_THAT(test::read_file(scratch.path("p.html")), HasSubstr("--env TOKEN,PATH"));
  EXPECT_THAT(test::read_file(scratch.path("p.html")), Not(HasSubstr("TOKEN=")));
  const auto again =
      assay(scratch, {"again", "--ledger", ledger, "--only", "candidate=two", "--rounds", "7"});
  EXPECT_THAT(again.err, HasSubstr("warning, TOKEN is passed on to the trials and is not set here"));
}

TEST(DuelVariables, ValuesAreKeptOnRequest) {
  const Scratch scratch;
  const auto ledger = scratch.path("l.db");
  ASSERT_EQ(assay(scratch, with_token({"--ledger", ledger, "--keep-env"})).status, 0);
  EXPECT_THAT(test::read_file(ledger), HasSubstr("TOKEN=locks-and-weirs"));
}

TEST(Documents, HoldNoFolderOfThisMachineAndNoHost) {
  const Scratch scratch;
  const auto exe =
      scratch.file("planner", "#!/bin/sh\necho " + scratch.path("net.txt") + " is missing >&2\nexit 3\n");
  ASSERT_EQ(chmod(exe.c_str(), 0755), 0);
  const auto ran = assay(scratch, {"duel", "--rounds", "7", "--names", "fine,broken,fine too", BEHAVE, "spin",
                                   "0.002", "vs", exe, "vs", BEHAVE, "spin", "0.002"});
  ASSERT_EQ(ran.status, 0) << ran.err;
  std::array<char, 256> host{};
  gethostname(host.data(), host.size() - 1);
  for (const auto& command : std::vector<std::vector<std::string>>{{"report", "--as", "markdown", "--gate"},
                                                                   {"report", "--as", "json"},
                                                                   {"verdict", "--json"},
                                                                   {"export"},
                                                                   {"export", "--as", "json"}}) {
    const auto out = assay(scratch, command).out;
    EXPECT_THAT(out, Not(HasSubstr(scratch.path()))) << command[1];
    EXPECT_THAT(out, Not(HasSubstr(host.data()))) << command[1];
    EXPECT_FALSE(out.empty());
  }
  assay(scratch, {"report", "-o", scratch.path("p.html")});
  const auto page = test::read_file(scratch.path("p.html"));
  EXPECT_THAT(page, HasSubstr("…/net.txt is missing"));
  EXPECT_THAT(page, Not(HasSubstr(scratch.path())));
}

TEST(DuelArguments, AnOptionAfterTheFirstCommandIsPointedOut) {
  const Scratch scratch;
  const auto ran = assay(scratch, {"duel", "--rounds", "6", BEHAVE, "spin", "0.002", "vs", BEHAVE, "spin",
                                   "0.002", "--rounds", "7"});
  EXPECT_THAT(ran.err, HasSubstr("--rounds stands after the first command"));
  const auto own = assay(scratch, {"duel", "--rounds", "7", "/bin/true", "--json", "vs", "/bin/true"});
  EXPECT_THAT(own.err, Not(HasSubstr("stands after"))) << "programs have such options themselves";
}

TEST(DuelNames, ProgramsOfOneNameAreNamedByTheFoldersThatTellThemApart) {
  const Scratch scratch;
  for (const char* folder : {"north", "south"}) {
    std::filesystem::create_directories(scratch.path(folder));
    std::filesystem::create_symlink(BEHAVE, scratch.path(folder) + "/locks");
  }
  const auto ran = assay(scratch, {"duel", "--rounds", "7", "--json", scratch.path("north/locks"), "spin",
                                   "0.002", "vs", scratch.path("south/locks"), "spin", "0.002"});
  ASSERT_EQ(ran.status, 0) << ran.err;
  const auto document = json::parse(ran.out);
  EXPECT_EQ(document["candidates"][0]["name"], "north/locks");
  EXPECT_EQ(document["candidates"][1]["name"], "south/locks");
}

TEST(Verdict, ShowsAllMetricsWhenAsked) {
  const Scratch scratch;
  ASSERT_EQ(assay(scratch, {"duel", "--rounds", "7..40", "--names", "brief,long", "--work", "9 locks", BEHAVE,
                            "spin", "0.01", "vs", BEHAVE, "spin", "0.06"})
                .status,
            0);
  const auto profile = assay(scratch, {"verdict", "--profile"}).out;
  for (const char* metric :
       {"wall time", "cpu time", "throughput (locks/s)", "cores used", "peak memory", "program size"})
    EXPECT_THAT(profile, HasSubstr(std::string("  ") + metric));
  const auto document = json::parse(assay(scratch, {"verdict", "--json"}).out);
  EXPECT_GT(document["profile"].size(), document["answers"].size());
  EXPECT_EQ(document["answers"][0]["verdict"], "worse");
}

}  // namespace
}  // namespace assay
