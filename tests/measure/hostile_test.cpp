#include <gtest/gtest.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <csignal>
#include <thread>

#include "assay/measure/process.hpp"
#include "assay/measure/program_file.hpp"
#include "assay/model/error.hpp"
#include "support/behave.hpp"
#include "support/tool.hpp"

namespace assay::measure {
namespace {

using test::behave;
using test::is_alive;
using test::pids_in;
using test::Scratch;

/// The pids a trial noted; they must be gone, not even zombies of ours.
void expect_gone(const std::string& file) {
  const auto pids = pids_in(file);
  EXPECT_FALSE(pids.empty()) << "the program did not come so far";
  for (const auto pid : pids) EXPECT_FALSE(is_alive(pid)) << pid;
}

TEST(HostilePrograms, DaemonsAreGoneAfterTheTrialAndCounted) {
  const Scratch scratch;
  Launcher launcher;
  const auto result = launcher.run(
      behave({"daemonise", scratch.path("pid"), "await", scratch.path("pid"), "1", "say", "done"}));
  EXPECT_EQ(result.out->head(), "done\n");
  EXPECT_EQ(result.exit_status, 0);
  EXPECT_EQ(result.orphans, 1);
  expect_gone(scratch.path("pid"));
}

TEST(HostilePrograms, ChildrenThatIgnoreTermAreGoneToo) {
  const Scratch scratch;
  Launcher launcher;
  const auto result = launcher.run(behave({"leave-child", scratch.path("pid"), "leave-child",
                                           scratch.path("pid"), "await", scratch.path("pid"), "2"}));
  EXPECT_GE(result.orphans, 2);
  expect_gone(scratch.path("pid"));
}

TEST(HostilePrograms, ATimeLimitEndsWhatHeedsTerm) {
  Launcher launcher;
  const auto result = launcher.run(behave({"sleep", "60"}, 0.2, 30));
  EXPECT_TRUE(result.timed_out);
  EXPECT_EQ(result.signal, SIGTERM);
  EXPECT_LT(result.wall, 20);
}

TEST(HostilePrograms, ATimeLimitEndsWhatIgnoresTerm) {
  const Scratch scratch;
  Launcher launcher;
  const auto result = launcher.run(behave(
      {"ignore-term", "leave-child", scratch.path("pid"), "pid", scratch.path("pid"), "sleep", "60"}, 2));
  EXPECT_TRUE(result.timed_out);
  EXPECT_EQ(result.signal, SIGKILL);
  expect_gone(scratch.path("pid"));
}

TEST(HostilePrograms, AProgramThatStopsItselfIsEndedAtItsTimeLimit) {
  Launcher launcher;
  const auto result = launcher.run(behave({"stop", "sleep", "60"}, 0.2, 30));
  EXPECT_TRUE(result.timed_out);
  EXPECT_EQ(result.signal, SIGTERM) << "TERM is seen only when it is continued";
}

TEST(HostilePrograms, ClosingEveryDescriptorDoesNoHarm) {
  Launcher launcher;
  EXPECT_EQ(launcher.run(behave({"say", "x", "close-all"})).out->head(), "x\n");
  EXPECT_EQ(launcher.run(behave({"say", "y"})).out->head(), "y\n");
}

TEST(HostilePrograms, AStopRequestEndsTheTrialAtOnce) {
  const Scratch scratch;
  Launcher launcher;
  std::stop_source source;
  const std::jthread stopper([&] {
    while (pids_in(scratch.path("pid")).empty()) std::this_thread::sleep_for(std::chrono::milliseconds(5));
    source.request_stop();
  });
  const auto result = launcher.run(behave({"pid", scratch.path("pid"), "sleep", "60"}), source.get_token());
  EXPECT_TRUE(result.interrupted);
  EXPECT_FALSE(result.timed_out);
  EXPECT_LT(result.wall, 50);
  expect_gone(scratch.path("pid"));
}

TEST(HostilePrograms, ATrialEndsWhenItsCallerIsKilled) {
  const Scratch scratch;
  const pid_t caller = fork();
  if (caller == 0) {
    Launcher launcher;
    launcher.run(behave(
        {"leave-child", scratch.path("pid"), "pid", scratch.path("pid"), "ignore-term", "sleep", "60"}));
    _exit(0);
  }
  while (pids_in(scratch.path("pid")).size() < 2) std::this_thread::sleep_for(std::chrono::milliseconds(5));
  kill(caller, SIGKILL);
  waitpid(caller, nullptr, 0);
  for (const auto pid : pids_in(scratch.path("pid")))
    for (int i = 0; i < 2000 && is_alive(pid); ++i) std::this_thread::sleep_for(std::chrono::milliseconds(5));
  expect_gone(scratch.path("pid"));
}

TEST(HostileInput, APipeIsRefusedSinceItCanBeReadOnceOnly) {
  const Scratch scratch;
  ASSERT_EQ(mkfifo(scratch.path("pipe").c_str(), 0600), 0);
  EXPECT_THROW(find_input("pipe", scratch.path()), Error);
  EXPECT_EQ(find_input("/dev/null", scratch.path()), "/dev/null");
  EXPECT_EQ(find_readable("pipe", scratch.path()), scratch.path("pipe")) << "what is read once may be one";
}

TEST(HostilePrograms, ATreeThatGrowsIsStoppedBeforeItIsKilled) {
  const Scratch scratch;
  Launcher launcher;
  // Each process begins two more and never ends; hundreds are there when the time is over.
  scratch.file("grow.sh",
               "#!/bin/sh\ntest $1 -gt 9 && exec sleep 60\nsh $0 $(($1 + 1)) & sh $0 $(($1 + 1)) & wait\n");
  const auto result = launcher.run({.program = "/bin/sh",
                                    .arguments = {"sh", scratch.path("grow.sh"), "1"},
                                    .directory = scratch.path(),
                                    .timeout = 1,
                                    .grace = 0.2});
  EXPECT_TRUE(result.timed_out);
  const auto left = test::run(scratch, {"/usr/bin/pgrep", "-f", scratch.path("grow.sh")});
  EXPECT_EQ(left.out, "") << "nothing is left running";
}

TEST(HostilePrograms, AFileThatIsTooLargeEndsItsProgram) {
  const Scratch scratch;
  Launcher launcher;
  const auto result = launcher.run({.program = "/usr/bin/truncate",
                                    .arguments = {"truncate", "-s", "2G", scratch.path("large")},
                                    .directory = scratch.path(),
                                    .file_limit = 1UL << 20U});
  EXPECT_EQ(result.signal, SIGXFSZ);
}

TEST(HostilePrograms, AHoleOfAnySizeInTheOutputIsReadInABoundedTime) {
  const Scratch scratch;
  Launcher launcher;
  const auto result = launcher.run({.program = "/usr/bin/truncate",
                                    .arguments = {"truncate", "-s", "200G", "/dev/stdout"},
                                    .directory = scratch.path(),
                                    .timeout = 5,
                                    .file_limit = 0});
  EXPECT_EQ(result.exit_status, 0);
  EXPECT_EQ(result.out->bytes(), 200ULL << 30U);
  const auto other = launcher.run({.program = "/usr/bin/truncate",
                                   .arguments = {"truncate", "-s", "199G", "/dev/stdout"},
                                   .directory = scratch.path(),
                                   .timeout = 5,
                                   .file_limit = 0});
  EXPECT_NE(other.out->digest(), result.out->digest());
}

}  // namespace
}  // namespace assay::measure
