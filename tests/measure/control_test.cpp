#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <unistd.h>

#include <fstream>
#include <thread>

#include "assay/measure/cgroup.hpp"
#include "assay/measure/file_io.hpp"
#include "assay/measure/machine.hpp"
#include "assay/measure/process.hpp"
#include "assay/model/error.hpp"
#include "support/behave.hpp"
#include "support/tool.hpp"

namespace assay::measure {
namespace {

using test::behave;
using test::Scratch;
using testing::HasSubstr;

TEST(Control, PinningLeavesTheCoresNamed) {
  Launcher launcher;
  auto command = behave({"cores"});
  command.cores = {cores_allowed().front()};
  EXPECT_EQ(launcher.run(command).out->head(), "1\n");
  command.cores = {1023};
  EXPECT_THAT(launcher.run(command).not_started.value_or(""), HasSubstr("can't be pinned to the cores"));
}

TEST(Control, NicenessIsAdded) {
  Launcher launcher;
  auto command = behave({"nice"});
  const int before = std::stoi(launcher.run(command).out->head());
  command.nice = 3;
  EXPECT_EQ(std::stoi(launcher.run(command).out->head()), std::min(before + 3, 19));
}

TEST(Control, AMemoryLimitHoldsForTheProgram) {
  Launcher launcher;
  auto command = behave({"devour"});
  command.memory_limit = 64U << 20U;
  const auto result = launcher.run(command);
  EXPECT_EQ(result.exit_status, 3);
  EXPECT_GT(result.peak_memory, 40.0 * 1048576);
  EXPECT_LT(result.peak_memory, 90.0 * 1048576);
}

TEST(Control, TheEnvironmentIsWhatIsNamed) {
  setenv("TOWPATH_TEST", "barge", 1);
  Launcher launcher;
  auto command = behave({"env", "TOWPATH_TEST", "env", "LOCKS", "variables"});
  command.environment = {"TOWPATH_TEST", "LOCKS=800", "NOT_SET_ANYWHERE"};
  EXPECT_EQ(launcher.run(command).out->head(), "barge\n800\n2\n");
  command.environment = std::vector<std::string>{};
  EXPECT_EQ(launcher.run(command).out->head(), "unset\nunset\n0\n");
}

TEST(Control, DiscardedOutputIsNotTaken) {
  Launcher launcher;
  auto command = behave({"say", "much"});
  command.discard_output = true;
  const auto result = launcher.run(command);
  EXPECT_EQ(result.exit_status, 0);
  EXPECT_FALSE(result.out);
}

TEST(Control, AColdFileIsOutOfThePageCache) {
  const Scratch scratch;
  const auto file = scratch.file("net", std::string(4U << 20U, 'n'));
  const double stayed = drop_from_cache(file);
  if (stayed == 1) GTEST_SKIP() << "the temporary folder is kept in memory";
  EXPECT_LT(stayed, 0.01);
  EXPECT_THROW(drop_from_cache(scratch.path("none")), Error);
  EXPECT_EQ(drop_from_cache(scratch.file("empty", "")), 0);
}

TEST(Control, AControlGroupIsJoinedAndItsPeakRead) {
  // Where the kernel has none to offer: the files are plain ones, and what is written shows.
  const Scratch scratch;
  TrialCgroup group(scratch.path());
  std::ofstream(group.procs_file()) << "";
  Launcher launcher;
  auto command = behave({"say", "in"});
  command.cgroup_file = group.procs_file();
  EXPECT_EQ(launcher.run(command).out->head(), "in\n");
  EXPECT_EQ(test::read_file(group.procs_file()), "0");
  EXPECT_FALSE(group.peak());
  std::ofstream(group.procs_file().substr(0, group.procs_file().rfind('/')) + "/memory.peak") << "12345678\n";
  EXPECT_EQ(group.peak(), 12345678);
  EXPECT_FALSE(group.core_wait());
  std::ofstream(group.procs_file().substr(0, group.procs_file().rfind('/')) + "/cpu.pressure")
      << "some avg10=0.00 avg60=1.50 avg300=0.20 total=250000\nfull avg10=0.00 avg60=0.00 avg300=0.00 "
         "total=7\n";
  EXPECT_DOUBLE_EQ(group.core_wait().value_or(0), 0.25);
  command.cgroup_file = "/nowhere/cgroup.procs";
  EXPECT_THAT(launcher.run(command).not_started.value_or(""), HasSubstr("control group can't be joined"));
}

TEST(Control, NoControlGroupIsFoundWhereNoneTellsAnything) {
  const Scratch scratch;
  EXPECT_EQ(find_cgroup_parent(scratch.path(), scratch.path("none")).folder, "");
  const auto old_kind = scratch.file("v1", "4:memory:/here\n");
  EXPECT_EQ(find_cgroup_parent(scratch.path(), old_kind).folder, "");
  scratch.file("fs/a/b/cgroup.procs", "");
  EXPECT_EQ(find_cgroup_parent(scratch.path("fs"), scratch.file("v2", "0::/a/b\n")).folder, "");
  EXPECT_FALSE(std::filesystem::exists(scratch.path("fs/a/b/assay-" + std::to_string(getpid()) + "-1")));
}

TEST(Control, AGroupTellsWhatChildrenWaitedForTheCore) {
  const auto parent = find_cgroup_parent();
  if (!parent.tells_core_wait) GTEST_SKIP() << "the kernel offers no control group that tells it";
  TrialCgroup group(parent.folder);
  Launcher launcher;
  auto command = behave({});
  command.program = "/bin/sh";
  command.arguments = {"sh", "-c", std::string(BEHAVE) + " spin 0.4; true"};
  command.cores = {cores_allowed().back()};
  auto other = behave({"spin", "0.4"});
  other.cores = command.cores;
  std::thread beside([&] { Launcher().run(other); });
  command.cgroup_file = group.procs_file();
  const auto result = launcher.run(command);
  beside.join();
  EXPECT_EQ(result.exit_status, 0);
  // Two that want one core get half of it each, so that 0.4 s of waiting are usual.
  EXPECT_GT(group.core_wait().value_or(0), 0.05);
  EXPECT_GT(group.core_wait().value_or(0), result.core_wait.value_or(0)) << "the shell itself only waited";
}

TEST(MachineLock, TellsWhoHasItAndWaitsLongForOneselfAndRootOnly) {
  const auto name = "assay-test-holder-" + std::to_string(getpid());
  MachineLock first(name);
  const MachineLock second(name);
  EXPECT_FALSE(second.holder());
  ASSERT_TRUE(first.try_lock());
  for (int i = 0; i < 40; ++i) {  // however many ask
    const auto holder = second.holder();
    if (i == 0) {
      ASSERT_TRUE(holder);
      EXPECT_EQ(holder->pid, getpid());
      EXPECT_EQ(holder->user, getuid());
    }
  }
  using Holder = MachineLock::Holder;
  EXPECT_FALSE(MachineLock::patience(Holder{.pid = 7, .user = 1000}, 1000));
  EXPECT_FALSE(MachineLock::patience(Holder{.pid = 7, .user = 0}, 1000));
  EXPECT_EQ(MachineLock::patience(Holder{.pid = 7, .user = 1001}, 1000), 3600);
  EXPECT_EQ(MachineLock::patience({}, 1000), 3600) << "a socket that nobody listens at is no campaign";
}

TEST(MachineLock, LetsOneAtATimeThrough) {
  const auto name = "assay-test-" + std::to_string(getpid());
  {
    MachineLock first(name), second(name);
    EXPECT_TRUE(first.try_lock());
    EXPECT_TRUE(first.try_lock());
    EXPECT_FALSE(second.try_lock());
  }
  MachineLock third(name);
  EXPECT_TRUE(third.try_lock());
}

}  // namespace
}  // namespace assay::measure
