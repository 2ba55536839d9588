#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <chrono>
#include <thread>
#include <vector>

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

constexpr double slice = 0.005;

double seconds_of(const std::function<void()>& work) {
  const auto start = std::chrono::steady_clock::now();
  work();
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

Command shell(const std::string& script) {
  return {.program = "/bin/sh", .arguments = {"sh", "-c", script}, .directory = "/"};
}

TEST(Slices, OneAtATimeRunsAndWallTimesAreThoseOfTheirSlices) {
  Launcher launcher;
  std::vector<ProcessResult> results;
  const auto spin = behave({"spin", "0.15", "say", "done"});
  // A host may stop a core, so that it counts as CPU time, or prolong what is done before the program begins, which it
  // counts as its own: in fewer than one try of twenty, so five times in a row below 1e-6.
  const auto was_disturbed = [](const ProcessResult& result) {
    const double cpu = result.user + result.system;
    return cpu < 0.149 || result.wall < 0.95 * cpu;
  };
  double elapsed = 0;
  for (int tries = 0; tries == 0 || (tries < 5 && std::ranges::any_of(results, was_disturbed)); ++tries)
    elapsed = seconds_of([&] { results = launcher.run_in_slices(std::vector{spin, spin, spin}, slice, 7); });
  double walls = 0;
  for (const auto& result : results) {
    ASSERT_FALSE(result.not_started) << *result.not_started;
    EXPECT_EQ(result.exit_status, 0);
    EXPECT_EQ(result.out->head(), "done\n");
    EXPECT_FALSE(result.left_group);
    const double cpu = result.user + result.system;
    EXPECT_GE(cpu, 0.149);
    EXPECT_GE(result.wall, 0.95 * cpu) << "it runs in its slices only";
    walls += result.wall;
  }
  EXPECT_LE(walls, elapsed);
  EXPECT_LT(results[0].wall, 0.7 * elapsed) << "it was stopped while others ran";
}

TEST(Slices, TheOthersAreStoppedWithAllTheirChildren) {
  Launcher launcher;
  const std::string one = std::string(BEHAVE) + " spin 0.1";
  const auto two_at_once = shell(one + " & " + one + " & wait");
  const auto results = launcher.run_in_slices(std::vector{two_at_once, behave({"spin", "0.1"})}, slice, 7);
  EXPECT_GE(results[0].user + results[0].system, 0.19);
  EXPECT_EQ(results[0].exit_status, 0);
  EXPECT_FALSE(results[0].left_group);
}

TEST(Slices, AProcessThatLeftItsGroupIsNoticed) {
  Launcher launcher;
  const auto leaving = shell(std::string("setsid ") + BEHAVE + " spin 0.2 & wait");
  const auto results = launcher.run_in_slices(std::vector{leaving, behave({"spin", "0.1"})}, slice, 7);
  EXPECT_TRUE(results[0].left_group);
  EXPECT_EQ(results[0].exit_status, 0);
}

TEST(Slices, TheTimeLimitIsOfEachProgramsOwnSlices) {
  const Scratch scratch;
  Launcher launcher;
  auto slow = behave({"pid", scratch.path("pids"), "ignore-term", "spin", "30"});
  slow.timeout = 2;
  slow.grace = 0.2;
  auto quick = behave({"spin", "0.1"});
  quick.timeout = 2;  // the campaign as a whole takes longer than that
  const auto results = launcher.run_in_slices(std::vector{slow, quick, quick}, slice, 7);
  EXPECT_TRUE(results[0].timed_out);
  EXPECT_EQ(results[0].signal, SIGKILL);
  EXPECT_FALSE(results[1].timed_out);
  EXPECT_EQ(results[2].exit_status, 0);
  for (const auto pid : pids_in(scratch.path("pids"))) EXPECT_FALSE(is_alive(pid));
}

TEST(Slices, AStopRequestEndsAllOfThem) {
  const Scratch scratch;
  Launcher launcher;
  const auto wait = behave({"pid", scratch.path("pids"), "spin", "30"});
  std::stop_source source;
  std::jthread later([&] {
    while (pids_in(scratch.path("pids")).size() < 2)
      std::this_thread::sleep_for(std::chrono::milliseconds(5));
    source.request_stop();
  });
  const auto results = launcher.run_in_slices(std::vector{wait, wait}, slice, 7, source.get_token());
  for (const auto& result : results) EXPECT_TRUE(result.interrupted);
  for (const auto pid : pids_in(scratch.path("pids"))) EXPECT_FALSE(is_alive(pid));
  EXPECT_EQ(launcher.run(behave({"exit", "3"})).exit_status, 3) << "the next one runs";
}

/// A shell makes its children by vfork: stopped in between, it can't stop itself before its child goes on.
TEST(Slices, ShellsThatStartManyProgramsAreNotWaitedForWithoutEnd) {
  Launcher launcher;
  auto script = shell("i=0; while [ $i -lt 150 ]; do /bin/true; i=$((i+1)); done; echo done");
  script.timeout = 60;
  for (const auto& result : launcher.run_in_slices(std::vector{script, script}, 0.001, 3)) {
    EXPECT_EQ(result.exit_status, 0);
    EXPECT_FALSE(result.timed_out);
    EXPECT_EQ(result.out->head(), "done\n");
  }
}

TEST(Slices, WhatCannotStartIsNamedAndTheOthersRun) {
  Launcher launcher;
  const auto results = launcher.run_in_slices(
      std::vector{behave({"say", "a"}), Command{.program = "/nowhere/x", .arguments = {"x"}}}, slice, 7);
  EXPECT_THAT(results[1].not_started.value_or(""), testing::HasSubstr("can't be executed"));
  EXPECT_THROW(launcher.run_in_slices(std::vector{behave({})}, slice, 7), Error);
}

TEST(Slices, AbreastTheKernelIsAskedForLongOnesAndTheyDoNoHarm) {
  Launcher launcher;
  const auto spin = behave({"spin", "0.1"});
  for (const auto& result : launcher.run_abreast(std::vector{spin, spin}, cores_allowed().back(), 0.05))
    EXPECT_EQ(result.exit_status, 0);
}

}  // namespace
}  // namespace assay::measure
