#include <gtest/gtest.h>
#include <linux/audit.h>
#include <linux/filter.h>
#include <linux/seccomp.h>
#include <sys/prctl.h>
#include <sys/stat.h>
#include <sys/syscall.h>

#include <array>
#include <chrono>
#include <csignal>
#include <cstddef>
#include <fstream>
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

/// Waits until `done`; gives up after half a minute.
template <class Done>
bool comes(const Done& done) {
  for (int i = 0; i < 3000; ++i) {
    if (done()) return true;
    std::this_thread::sleep_for(std::chrono::milliseconds(10));
  }
  return false;
}

pid_t parent_of(pid_t pid) {
  std::ifstream file("/proc/" + std::to_string(pid) + "/status");
  for (std::string line; std::getline(file, line);)
    if (line.starts_with("PPid:")) return std::stoi(line.substr(5));
  return 0;
}

TEST(RunningProcess, AServerAndItsClientsHaveExactUsageEach) {
  Launcher launcher;
  auto server =
      launcher.start(behave({"spin", "0.2", "say", "ready", "flush", "write", "3000000", "sleep", "60"}));
  ASSERT_TRUE(comes([&] { return server.out_so_far(6).ends_with("xxxxxx"); }));
  const auto client = launcher.run(behave({"spin", "1", "write", "1000000"}));
  const auto another = launcher.run(behave({"write", "2000000"}));
  EXPECT_TRUE(server.still_runs());
  server.stop();
  const auto served = server.wait();
  EXPECT_EQ(served.signal, SIGTERM);
  EXPECT_EQ(served.out->bytes(), 3000006U);
  EXPECT_EQ(served.bytes_written, 3000006);
  EXPECT_EQ(client.bytes_written, 1000000);
  EXPECT_EQ(another.bytes_written, 2000000);
  EXPECT_GE(served.user + served.system, 0.2);
  EXPECT_LT(served.user + served.system, 1) << "the client's time is not the server's";
  EXPECT_GE(client.user + client.system, 1);
}

TEST(RunningProcess, OneThatEndsByItselfIsSeenToEnd) {
  Launcher launcher;
  auto running = launcher.start(behave({"say", "done", "exit", "3"}));
  ASSERT_TRUE(running.pid());
  EXPECT_TRUE(comes([&] { return !running.still_runs(); }));
  const auto result = running.wait();
  EXPECT_EQ(result.exit_status, 3);
  EXPECT_EQ(result.out->head(), "done\n");
  EXPECT_FALSE(result.interrupted);
  EXPECT_THROW(running.wait(), Error) << "there is one result";
}

TEST(RunningProcess, AStopGoesToTheProgramAloneAndWhatIsLeftIsKilled) {
  const Scratch scratch;
  Launcher launcher;
  auto running = launcher.start(
      behave({"leave-child", scratch.path("pid"), "await", scratch.path("pid"), "1", "sleep", "60"}));
  ASSERT_TRUE(comes([&] { return pids_in(scratch.path("pid")).size() == 1; }));
  running.stop(SIGUSR1, 30);
  const auto result = running.wait();
  EXPECT_EQ(result.signal, SIGUSR1);
  EXPECT_EQ(result.orphans, 1);
  EXPECT_FALSE(result.timed_out);
  EXPECT_FALSE(is_alive(pids_in(scratch.path("pid")).front()));
}

TEST(RunningProcess, KillsAfterTheGrace) {
  Launcher launcher;
  auto running = launcher.start(behave({"ignore-term", "say", "up", "flush", "sleep", "60"}));
  ASSERT_TRUE(comes([&] { return running.out_so_far(3) == "up\n"; }));
  running.stop(SIGTERM, 0.1);
  running.stop(SIGTERM, 1000);
  EXPECT_EQ(running.wait().signal, SIGKILL);
}

TEST(RunningProcess, AStopTokenEndsTheWaiting) {
  Launcher launcher;
  auto running = launcher.start(behave({"sleep", "60"}));
  std::stop_source stop;
  stop.request_stop();
  const auto result = running.wait(stop.get_token());
  EXPECT_TRUE(result.interrupted);
  EXPECT_EQ(result.signal, SIGTERM);
}

TEST(RunningProcess, ItsTimeLimitHolds) {
  Launcher launcher;
  auto running = launcher.start(behave({"sleep", "60"}, 0.1));
  EXPECT_TRUE(running.wait().timed_out);
}

TEST(RunningProcess, NothingOutlivesItsHandle) {
  const Scratch scratch;
  Launcher launcher;
  {
    auto running = launcher.start(behave(
        {"ignore-term", "pid", scratch.path("pid"), "leave-child", scratch.path("pid"), "sleep", "60"}));
    ASSERT_TRUE(comes([&] { return pids_in(scratch.path("pid")).size() == 2; }));
    const auto first = pids_in(scratch.path("pid"));
    running = launcher.start(behave({"pid", scratch.path("pid"), "sleep", "60"}));
    for (const auto pid : first) EXPECT_FALSE(is_alive(pid)) << "another took its handle";
    ASSERT_TRUE(comes([&] { return pids_in(scratch.path("pid")).size() == 3; }));
  }
  for (const auto pid : pids_in(scratch.path("pid"))) EXPECT_FALSE(is_alive(pid)) << pid;
}

TEST(RunningProcess, AHandleMayOutliveItsLauncher) {
  std::optional<RunningProcess> running;
  {
    Launcher launcher;
    running = launcher.start(behave({"say", "still here"}));
  }
  EXPECT_EQ(running->wait().out->head(), "still here\n");
}

TEST(RunningProcess, NamesTheReasonForAFailedStart) {
  Launcher launcher;
  auto running = launcher.start({.program = "/nowhere/at/all", .arguments = {"all"}});
  EXPECT_FALSE(running.pid());
  const auto result = running.wait();
  ASSERT_TRUE(result.not_started);
  EXPECT_EQ(*result.not_started, "/nowhere/at/all can't be executed: No such file or directory");
}

TEST(RunningProcess, ManyThreadsRunProgramsOfOneLauncher) {
  Launcher launcher;
  std::array<std::string, 4> heard;
  {
    std::vector<std::jthread> threads;
    for (std::size_t i = 0; i < heard.size(); ++i)
      threads.emplace_back([&, i] {
        for (int n = 0; n < 10; ++n) heard[i] += launcher.run(behave({"say", std::to_string(i)})).out->head();
      });
  }
  for (std::size_t i = 0; i < heard.size(); ++i) {
    std::string ten;
    for (int n = 0; n < 10; ++n) ten += std::to_string(i) + "\n";
    EXPECT_EQ(heard[i], ten);
  }
}

TEST(RunningProcess, ALauncherProcessThatNeverAnswersIsEndedWithItsProgram) {
  const Scratch scratch;
  Launcher launcher(0.3);
  auto running = launcher.start(behave({"ignore-term", "pid", scratch.path("pid"), "sleep", "60"}, 0.2, 0.1));
  ASSERT_TRUE(comes([&] { return pids_in(scratch.path("pid")).size() == 1; }));
  const auto process = parent_of(*running.pid());
  ASSERT_EQ(kill(process, SIGSTOP), 0);
  const auto result = running.wait();
  ASSERT_TRUE(result.lost) << "it answered";
  EXPECT_EQ(result.signal, SIGKILL);
  EXPECT_FALSE(is_alive(process));
  EXPECT_TRUE(comes([&] { return !is_alive(pids_in(scratch.path("pid")).front()); }));
  EXPECT_EQ(launcher.run(behave({"say", "again"})).out->head(), "again\n");
}

TEST(RunningProcess, AStopRequestDoesNotWaitForALauncherProcessThatNeverAnswers) {
  Launcher launcher(0.2);
  auto running = launcher.start(behave({"sleep", "600"}, 600, 0.1));
  ASSERT_EQ(kill(parent_of(*running.pid()), SIGSTOP), 0);
  std::stop_source stop;
  stop.request_stop();
  EXPECT_TRUE(running.wait(stop.get_token()).lost);
}

TEST(RunningProcess, AProgramDoesNotOutliveALauncherProcessThatIsKilled) {
  Launcher launcher;
  auto running = launcher.start(behave({"sleep", "600"}));
  const auto pid = *running.pid();
  ASSERT_EQ(kill(parent_of(pid), SIGKILL), 0);
  const auto result = running.wait();
  ASSERT_TRUE(result.lost);
  EXPECT_NE(result.lost->find("has gone"), std::string::npos);
  EXPECT_TRUE(comes([&] { return !is_alive(pid); }));
}

/// Long before the time limit of ten minutes.
TEST(RunningProcess, ALauncherProcessThatIsStoppedIsNoticed) {
  Launcher launcher;
  auto running = launcher.start(behave({"sleep", "600"}, 600, 0.1));
  ASSERT_EQ(kill(parent_of(*running.pid()), SIGSTOP), 0);
  const auto result = running.wait();
  ASSERT_TRUE(result.lost);
  EXPECT_NE(result.lost->find("was stopped"), std::string::npos) << *result.lost;
}

TEST(RunningProcess, APipeWithoutAWriterIsRefusedAsInput) {
  const Scratch scratch;
  ASSERT_EQ(mkfifo(scratch.path("pipe").c_str(), 0600), 0);
  Launcher launcher;
  auto command = behave({"cat"});
  command.stdin_file = scratch.path("pipe");
  const auto result = launcher.run(command);
  ASSERT_TRUE(result.not_started);
  EXPECT_NE(result.not_started->find("is a pipe"), std::string::npos) << *result.not_started;
}

/// From here on the kernel knows no pidfd_open, as before Linux 5.3 and in many a sandbox.
bool take_pidfds_away() {
  std::array<sock_filter, 4> program = {{
      BPF_STMT(BPF_LD | BPF_W | BPF_ABS, offsetof(seccomp_data, nr)),
      BPF_JUMP(BPF_JMP | BPF_JEQ | BPF_K, SYS_pidfd_open, 0, 1),
      BPF_STMT(BPF_RET | BPF_K, SECCOMP_RET_ERRNO | ENOSYS),
      BPF_STMT(BPF_RET | BPF_K, SECCOMP_RET_ALLOW),
  }};
  const sock_fprog filter{.len = program.size(), .filter = program.data()};
  return prctl(PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0) == 0 &&
         prctl(PR_SET_SECCOMP, SECCOMP_MODE_FILTER, &filter) == 0;
}

/// Exits with 0 when programs end, overrun and are stopped as they should.
[[noreturn]] void run_without_pidfds(const std::string& scratch) {
  if (!take_pidfds_away() || syscall(SYS_pidfd_open, getpid(), 0) >= 0) _exit(2);
  Launcher launcher;
  if (launcher.run(behave({"sleep", "0.1", "exit", "7"})).exit_status != 7) _exit(3);
  const auto late = launcher.run(behave({"ignore-term", "leave-child", scratch + "/pid", "sleep", "60"}, 1));
  if (!late.timed_out || late.signal != SIGKILL) _exit(4);
  for (const auto pid : pids_in(scratch + "/pid"))
    if (is_alive(pid)) _exit(5);
  auto running = launcher.start(behave({"sleep", "60"}));
  running.stop();
  if (running.wait().signal != SIGTERM) _exit(6);
  const std::array<Command, 2> pair = {behave({"say", "a", "sleep", "0.1"}), behave({"say", "b"})};
  const auto both = launcher.run_abreast(pair, cores_allowed().front());
  if (both[0].out->head() != "a\n" || both[1].out->head() != "b\n" || both[0].wall < 0.1) _exit(7);
  _exit(0);
}

TEST(RunningDeathTest, NothingHangsWhereTheKernelGivesNoPidfd) {
  GTEST_FLAG_SET(death_test_style, "threadsafe");
  const Scratch scratch;
  EXPECT_EXIT(run_without_pidfds(scratch.path()), testing::ExitedWithCode(0), "");
}

}  // namespace
}  // namespace assay::measure
