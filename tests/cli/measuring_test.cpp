#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <unistd.h>

#include <chrono>
#include <filesystem>
#include <nlohmann/json.hpp>
#include <thread>

#include "assay/measure/machine.hpp"
#include "support/findings_json.hpp"
#include "support/tool.hpp"

namespace assay::test {
using namespace model;
namespace {

using nlohmann::json;
using testing::HasSubstr;

/// More than six rounds only where the machine is busy.
const std::string until_decided = "6..60";

/// A duel of two lists of steps, as the findings document.
json duel(const Scratch& scratch, std::vector<std::string> options, const std::vector<std::string>& left,
          const std::vector<std::string>& right, const std::string& rounds = "6") {
  options.insert(options.begin(), {"duel", "--json", "--rounds", rounds, "--names", "a,b"});
  options.emplace_back(BEHAVE);
  options.insert(options.end(), left.begin(), left.end());
  options.insert(options.end(), {"vs", BEHAVE});
  options.insert(options.end(), right.begin(), right.end());
  const auto ran = assay(scratch, options);
  EXPECT_EQ(ran.status, 0) << ran.err << ran.out;
  return json::parse(ran.out, nullptr, false);
}

TEST(DuelMeasures, MemoryFaultsAndBytes) {
  const Scratch scratch;
  const auto found =
      duel(scratch, {"--watch", "peak memory, minor faults", "--watch", "bytes written"},
           {"touch", "8", "write", "1000"}, {"touch", "64", "write", "3001000"}, until_decided);
  EXPECT_GT(finding_on(found, "peak memory")["ratio"], 2.0);
  EXPECT_EQ(finding_on(found, "minor faults")["verdict"], "worse");
  const auto bytes = finding_on(found, "bytes written");
  EXPECT_EQ(bytes["candidate_typical"].get<double>() - bytes["baseline_typical"].get<double>(), 3'000'000);
}

TEST(DuelMeasures, CpuTimeOfThreadsAndSwitches) {
  const Scratch scratch;
  const auto found = duel(scratch, {"--watch", "cpu time,voluntary switches"},
                          {"spin", "0.02", "switch", "10"}, {"spin-two", "0.04", "switch", "100"});
  EXPECT_GT(finding_on(found, "cpu time")["ratio"], 2.0);
  EXPECT_GE(finding_on(found, "voluntary switches")["candidate_typical"], 100);
}

TEST(DuelMeasures, ThroughputAndSizes) {
  const Scratch scratch;
  const auto found = duel(scratch, {"--work", "100 routes", "--watch", "throughput,text size"},
                          {"sleep", "0.01"}, {"sleep", "0.04"}, until_decided);
  EXPECT_EQ(finding_on(found, "throughput")["verdict"], "worse");
  EXPECT_EQ(finding_on(found, "throughput")["unit"], "routes/s");
  EXPECT_EQ(finding_on(found, "text size")["verdict"], "same");
}

// Tenths of a second, so that a trial without a single tick of user time is out of the question.
TEST(DuelMeasures, UserTimeBelowASecondIsNotJudged) {
  const Scratch scratch;
  const auto ran = assay(scratch, {"duel", "--rounds", "6", "--watch", "user time,cpu time", BEHAVE, "spin",
                                   "0.1", "vs", BEHAVE, "spin", "0.15"});
  EXPECT_EQ(ran.status, 0) << ran.err;
  EXPECT_THAT(ran.out, HasSubstr("user time is not judged: the kernel samples it by ticks"));
}

TEST(DuelMeasures, Abreast) {
  const Scratch scratch;
  const auto found = duel(scratch, {"--abreast"}, {"spin", "0.01"}, {"spin", "0.05"}, until_decided);
  EXPECT_EQ(finding_on(found, "cpu time")["verdict"], "worse");
  const auto ran = assay(scratch, {"duel", "--abreast", "--watch", "wall time", "true", "vs", "true", "x"});
  EXPECT_EQ(ran.status, 2);
  EXPECT_THAT(ran.err, HasSubstr("--watch: \"wall time\" can't be watched of candidates that run abreast"));
}

TEST(DuelMeasures, Slices) {
  const Scratch scratch;
  const auto found = duel(scratch, {"--slices", "--watch", "wall time"}, {"spin-two", "0.02"},
                          {"spin-two", "0.06"}, until_decided);
  EXPECT_EQ(found["campaign"]["way"], "slices");
  EXPECT_EQ(finding_on(found, "wall time")["verdict"], "worse");
  const auto leaves = assay(scratch, {"duel", "--slices", "--rounds", "6", BEHAVE, "spin", "0.05", "vs", "sh",
                                      "-c", "setsid " BEHAVE " spin 0.1 & wait"});
  EXPECT_EQ(leaves.status, 3);
  EXPECT_THAT(leaves.out, HasSubstr("run it in turns (mode = \"turns\", --turns)"));
  const auto both = assay(scratch, {"duel", "--slices", "--turns", "true", "vs", "true", "x"});
  EXPECT_EQ(both.status, 2);
  EXPECT_THAT(both.err, HasSubstr("--turns excludes --slices"));
}

/// By default the campaign chooses, says so in a line, and judges what the way gives.
TEST(DuelMeasures, TheWayOfRunningIsChosenAndReported) {
  const Scratch scratch;
  const auto found = duel(scratch, {}, {"spin", "0.03"}, {"spin", "0.06"});
  EXPECT_EQ(found["campaign"]["way"], "auto");
  const auto ways = found["campaign"]["ways"];
  ASSERT_EQ(ways.size(), 1U);
  EXPECT_THAT(ways[0]["way"], testing::AnyOf("turns", "abreast"));
  const auto reason = ways[0]["reason"].get<std::string>();  // any of them may come of a busy machine
  EXPECT_EQ(ways[0]["spread_in_turns"] > 0, reason == "steadier" || reason == "no gain") << reason;
  EXPECT_EQ(ways[0]["way"] == "abreast", reason == "steadier");
  EXPECT_GT(finding_on(found, ways[0]["way"] == "abreast" ? "cpu time" : "wall time")["ratio"], 1.5);
  const auto text = assay(scratch, {"verdict"}).out;
  EXPECT_THAT(text, testing::AnyOf(HasSubstr("run in turns: "), HasSubstr("run abreast on one core")));
  // Long enough that a busy machine does not make their costs unlike.
  const auto waiting = duel(scratch, {}, {"sleep", "0.4"}, {"sleep", "0.48"});
  EXPECT_EQ(waiting["campaign"]["ways"][0]["reason"], "waits");
  const auto reason_of_writers = [&](std::vector<std::string> options) {
    options.insert(options.begin(), {"duel", "--json", "--rounds", "6"});
    options.insert(options.end(), {"sh", "-c", "head -c 5000 /dev/zero > f", "vs", "sh", "-c",
                                   "head -c 6000 /dev/zero > f"});
    const auto ways = json::parse(assay(scratch, options).out)["campaign"]["ways"];
    return ways.size() == 1 ? ways[0]["reason"].get<std::string>() : "none";
  };
  EXPECT_EQ(reason_of_writers({}), "writes files") << "at once they would meet in one";
  EXPECT_NE(reason_of_writers({"--fresh"}), "writes files") << "each trial has a folder of its own";
  EXPECT_EQ(reason_of_writers({"--before", "true"}), "none") << "the step prepares a place for one alone";
  const auto unlike = duel(scratch, {}, {"spin", "0.01"}, {"spin", "0.1"});
  EXPECT_EQ(unlike["campaign"]["ways"][0]["way"], "turns");
  EXPECT_TRUE(duel(scratch, {"--turns"}, {"spin", "0.01"}, {"spin", "0.02"})["campaign"]["ways"].empty());
}

TEST(DuelMetrics, NamesTheReasonForMissingOnes) {
  const Scratch scratch;
  const auto found = duel(scratch, {}, {"say", "x"}, {"say", "x", "nothing"});
  for (const auto& missing : found["missing"]) {
    EXPECT_FALSE(missing["why"].get<std::string>().empty());
    const auto ran =
        assay(scratch, {"duel", "--watch", missing["metric"].get<std::string>(), "true", "vs", "true", "x"});
    EXPECT_EQ(ran.status, 2);
    EXPECT_THAT(ran.err, testing::AnyOf(HasSubstr("can't be watched")));
  }
}

TEST(DuelControls, StepsFolderCoresNicenessAndEnvironment) {
  const Scratch scratch;
  const auto ran = assay(scratch, {"duel",
                                   "--rounds",
                                   "6",
                                   "--before",
                                   "sh -c 'echo \"a b\" > made'",
                                   "--after",
                                   "true",
                                   "--fresh",
                                   "--cores",
                                   "0",
                                   "--nice",
                                   "1",
                                   "--env",
                                   "PATH,LOCKS=8",
                                   "--match",
                                   "^1\n8\na b$",
                                   "sh",
                                   "-c",
                                   std::string(BEHAVE) + " cores env LOCKS; cat made",
                                   "vs",
                                   "sh",
                                   "-c",
                                   std::string(BEHAVE) + " cores env LOCKS; cat ./made"});
  if (ran.out.find("pinned") != std::string::npos) GTEST_SKIP() << "core 0 is not for us";
  EXPECT_EQ(ran.status, 0) << ran.out << ran.err;
  EXPECT_FALSE(std::filesystem::exists(scratch.path("made")));
}

TEST(DuelControls, WrongOnesAreNamed) {
  const Scratch scratch;
  const auto says = [&](const std::vector<std::string>& options) {
    std::vector<std::string> all = {"duel"};
    all.insert(all.end(), options.begin(), options.end());
    all.insert(all.end(), {"true", "vs", "true", "x"});
    const auto ran = assay(scratch, all);
    EXPECT_EQ(ran.status, 2);
    return ran.err;
  };
  EXPECT_THAT(says({"--cores", "0,x"}), HasSubstr("--cores: \"x\" is not the number of a core"));
  EXPECT_THAT(says({"--cores", "5000"}), HasSubstr("5000 is not the number of a core"));
  EXPECT_THAT(says({"--before", "sh -c 'x"}), HasSubstr("--before: a quote is not closed"));
  EXPECT_THAT(says({"--memory-limit", "64"}), HasSubstr("\"64\" is not an amount of memory"));
  EXPECT_THAT(says({"--work", "many"}), HasSubstr("--work: \"many\" is not an amount of work"));
  EXPECT_THAT(says({"--work", "many routes"}), HasSubstr("the amount of work is \"many\""));
  EXPECT_THAT(says({"--before", "./none"}), HasSubstr("there is no such program"));
}

TEST(WhenBusy, TheSecondCampaignWaitsOrGoesOn) {
  const Scratch scratch;
  const char* const before = std::getenv("ASSAY_MACHINE_LOCK");
  const std::string restored = before == nullptr ? "" : before;
  setenv("ASSAY_MACHINE_LOCK", scratch.path().c_str(), 1);
  auto other = std::make_unique<measure::MachineLock>();
  ASSERT_TRUE(other->try_lock());
  const std::vector<std::string> commands = {"true", "vs", "true", "x"};
  auto arguments = std::vector<std::string>{"duel", "--rounds", "6", "--when-busy", "go-on"};
  arguments.insert(arguments.end(), commands.begin(), commands.end());
  const auto beside = assay(scratch, arguments);
  EXPECT_THAT(beside.err, HasSubstr("going on beside it"));
  EXPECT_THAT(beside.out, HasSubstr("another campaign was measuring"));
  arguments[4] = "wait";
  arguments.insert(arguments.begin(), ASSAY_TOOL);
  Started waiting(scratch, arguments);
  while (waiting.err_so_far().find("waiting for its end") == std::string::npos)
    std::this_thread::sleep_for(std::chrono::milliseconds(10));
  other.reset();
  const auto ran = waiting.wait();
  EXPECT_EQ(ran.status, 0) << ran.err;
  setenv("ASSAY_MACHINE_LOCK", restored.c_str(), 1);
}

TEST(ConditionsCommand, TellsFactsAsTextAndJson) {
  const Scratch scratch;
  const auto text = assay(scratch, {"conditions", "--quick"});
  EXPECT_EQ(text.status, 0) << text.err;
  EXPECT_THAT(text.out, HasSubstr("processor"));
  EXPECT_THAT(text.out, HasSubstr("starting a program"));
  const auto document = json::parse(assay(scratch, {"conditions", "--quick", "--json"}).out);
  EXPECT_GT(document["launch_cost"], 0);
  EXPECT_TRUE(document["steadiness"].empty());
}

TEST(OrdinaryUser, MeasuresEverythingTheSame) {
  if (geteuid() != 0) GTEST_SKIP() << "these tests run as an ordinary user already";
  const Scratch scratch;
  std::filesystem::permissions(scratch.path(), std::filesystem::perms::all);
  const auto ran = run(scratch, {"/usr/bin/setpriv",
                                 "--reuid=65534",
                                 "--regid=65534",
                                 "--clear-groups",
                                 ASSAY_TOOL,
                                 "duel",
                                 "--json",
                                 "--rounds",
                                 until_decided,
                                 "--names",
                                 "a,b",
                                 "--watch",
                                 "cpu time,bytes written",
                                 BEHAVE,
                                 "spin",
                                 "0.01",
                                 "write",
                                 "1000",
                                 "vs",
                                 BEHAVE,
                                 "spin",
                                 "0.05",
                                 "write",
                                 "2001000"});
  if (ran.status == 127 || ran.err.find("Permission denied") != std::string::npos)
    GTEST_SKIP() << "the build is out of others' reach";
  ASSERT_EQ(ran.status, 0) << ran.err;
  const auto found = json::parse(ran.out);
  EXPECT_EQ(finding_on(found, "cpu time")["verdict"], "worse");
  const auto bytes = finding_on(found, "bytes written");
  EXPECT_EQ(bytes["candidate_typical"].get<double>() - bytes["baseline_typical"].get<double>(), 2'000'000);
}

}  // namespace
}  // namespace assay::test
