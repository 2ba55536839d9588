#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <chrono>
#include <thread>

#include "assay/measure/process.hpp"
#include "assay/model/error.hpp"
#include "support/behave.hpp"
#include "support/tool.hpp"

namespace assay::measure {
namespace {

using test::behave;
using test::is_alive;
using test::pids_in;
using test::Scratch;
using testing::HasSubstr;

std::vector<ProcessResult> run_abreast(Launcher& launcher, const std::vector<Command>& commands,
                                       const std::stop_token& stop = {}) {
  return launcher.run_abreast(commands, cores_allowed().back(), 0, stop);
}

TEST(Abreast, ProgramsRunAtTheSameTimeOnOneCore) {
  const Scratch scratch;
  Launcher launcher;
  // Each waits for the other: one after the other, the first would wait in vain.
  const auto meet = behave({"pid", scratch.path("met"), "await", scratch.path("met"), "2", "cores"});
  const auto results = run_abreast(launcher, {meet, meet});
  ASSERT_EQ(results.size(), 2U);
  EXPECT_EQ(pids_in(scratch.path("met")).size(), 2U);
  for (const auto& result : results) {
    EXPECT_FALSE(result.not_started) << *result.not_started;
    EXPECT_EQ(result.out->head(), "1\n");
  }
}

TEST(Abreast, EachHasItsOwnUsageAndOutput) {
  Launcher launcher;
  const auto results =
      run_abreast(launcher, {behave({"spin", "0.6", "say", "long"}),
                             behave({"spin", "0.1", "touch", "50", "say", "short"}), behave({"exit", "4"})});
  // Each spins until its own clock of CPU time shows so much; what it does besides takes as long as it takes.
  const auto cpu = [&](std::size_t i) { return results[i].user + results[i].system; };
  EXPECT_GE(cpu(0), 0.59);
  EXPECT_GE(cpu(1), 0.09);
  EXPECT_LT(cpu(1), cpu(0));
  EXPECT_LT(cpu(2), cpu(1));
  EXPECT_GT(results[1].peak_memory, 50.0 * 1048576);
  EXPECT_LT(results[0].peak_memory, 40.0 * 1048576);
  EXPECT_EQ(results[0].out->head(), "long\n");
  EXPECT_EQ(results[1].out->head(), "short\n");
  EXPECT_EQ(results[2].exit_status, 4);
}

TEST(Abreast, OrphansAreBookedToTheirOwnProgram) {
  Launcher launcher;
  const auto results = run_abreast(launcher, {behave({"sleep", "0.1"}), behave({"orphan-spin", "0.2"})});
  EXPECT_LT(results[0].user + results[0].system, 0.1);
  EXPECT_GE(results[1].user + results[1].system, 0.15);
}

TEST(Abreast, AHookThatFailsStopsTheBatchAndNamesItsCandidate) {
  const Scratch scratch;
  Launcher launcher;
  auto lost = behave({"say", "x"});
  lost.directory = "/nowhere";
  const auto results = run_abreast(launcher, {behave({"pid", scratch.path("ran")}), lost});
  EXPECT_TRUE(results[0].peer_failed);
  EXPECT_FALSE(results[1].peer_failed);
  EXPECT_THAT(results[1].not_started.value_or(""), HasSubstr("working directory /nowhere"));
  EXPECT_TRUE(pids_in(scratch.path("ran")).empty()) << "it ran all the same";
  EXPECT_EQ(run_abreast(launcher, {behave({"say", "a"}), behave({"say", "b"})})[1].out->head(), "b\n");
}

TEST(Abreast, AProgramThatCannotBeExecutedIsReportedAndTheOthersRun) {
  Launcher launcher;
  const auto results =
      run_abreast(launcher, {behave({"say", "a"}), Command{.program = "/nowhere/x", .arguments = {"x"}}});
  EXPECT_EQ(results[0].out->head(), "a\n");
  EXPECT_THAT(results[1].not_started.value_or(""), HasSubstr("/nowhere/x can't be executed"));
}

TEST(Abreast, TheTimeLimitEndsThoseThatStillRun) {
  Launcher launcher;
  auto slow = behave({"ignore-term", "sleep", "60"});
  slow.timeout = 1;
  auto quick = behave({"say", "done"});
  quick.timeout = 1;
  const auto results = run_abreast(launcher, {quick, slow});
  EXPECT_FALSE(results[0].timed_out);
  EXPECT_TRUE(results[1].timed_out);
}

TEST(Abreast, AStopRequestEndsAll) {
  const Scratch scratch;
  Launcher launcher;
  std::stop_source source;
  const std::jthread stopper([&] {
    while (pids_in(scratch.path("pid")).size() < 2) std::this_thread::sleep_for(std::chrono::milliseconds(5));
    source.request_stop();
  });
  const auto wait = behave({"pid", scratch.path("pid"), "sleep", "60"});
  const auto results = run_abreast(launcher, {wait, wait}, source.get_token());
  EXPECT_TRUE(results[0].interrupted && results[1].interrupted);
  for (const auto pid : pids_in(scratch.path("pid"))) EXPECT_FALSE(is_alive(pid));
}

TEST(Abreast, OneAloneOrTooManyAreRefused) {
  Launcher launcher;
  EXPECT_THROW(run_abreast(launcher, {behave({})}), Error);
  EXPECT_THROW(run_abreast(launcher, std::vector<Command>(17, behave({}))), Error);
  EXPECT_EQ(run_abreast(launcher, std::vector<Command>(16, behave({"say", "x"}))).size(), 16U);
}

}  // namespace
}  // namespace assay::measure
