#include "assay/measure/process.hpp"

#include <fcntl.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <sys/wait.h>
#include <unistd.h>

#include <thread>

#include "assay/measure/file_io.hpp"
#include "assay/measure/program_file.hpp"
#include "assay/model/error.hpp"
#include "support/behave.hpp"
#include "support/tool.hpp"

namespace assay::measure {
namespace {

using test::behave;
using test::Scratch;
using testing::HasSubstr;

TEST(RunProcess, ReportsOutputStatusAndSignal) {
  Launcher launcher;
  auto result = launcher.run(behave({"say", "hello", "complain", "oh", "exit", "3"}));
  EXPECT_FALSE(result.not_started);
  EXPECT_EQ(result.exit_status, 3);
  EXPECT_EQ(result.out->head(), "hello\n");
  EXPECT_EQ(result.out->bytes(), 6U);
  EXPECT_EQ(result.out->digest(), digest_of("hello\n"));
  EXPECT_EQ(result.err->tail(100), "oh\n");
  result = launcher.run(behave({"signal", "11"}));
  EXPECT_EQ(result.signal, 11);
  EXPECT_EQ(result.exit_status, 0);
}

TEST(RunProcess, PeakMemoryIsTheProgramsAndNotTheCallers) {
  std::vector<char> held(512U << 20U);
  for (std::size_t i = 0; i < held.size(); i += 4096) held[i] = 1;
  Launcher launcher;
  const auto result = launcher.run({.program = "/bin/true", .arguments = {"true"}});
  EXPECT_LT(result.peak_memory, 4.0 * 1048576);
  EXPECT_GT(result.peak_memory, 0.1 * 1048576);
  EXPECT_EQ(held[4096], 1);
}

TEST(RunProcess, MemoryTouchedIsSeen) {
  Launcher launcher;
  const auto result = launcher.run(behave({"touch", "100"}));
  EXPECT_GT(result.peak_memory, 100.0 * 1048576);
  EXPECT_LT(result.peak_memory, 120.0 * 1048576);
}

TEST(RunProcess, CpuTimeIsSeenAlsoOfAdoptedOrphans) {
  Launcher launcher;
  const auto alone = launcher.run(behave({"spin", "0.3"}));
  EXPECT_GE(alone.user + alone.system, 0.29);
  EXPECT_GE(alone.wall, 0.29);
  const auto orphan = launcher.run(behave({"orphan-spin", "0.2"}));
  EXPECT_GE(orphan.user + orphan.system, 0.05) << "the orphan's time is not the main process's";
}

TEST(RunProcess, StdinIsOpenedAfreshForEachTrial) {
  const Scratch scratch;
  Launcher launcher;
  auto command = behave({"cat"});
  EXPECT_EQ(launcher.run(command).out->head(), "") << "nothing to read unless asked for";
  command.stdin_file = scratch.file("orders.txt", "one\ntwo\n");
  for (int i = 0; i < 3; ++i) EXPECT_EQ(launcher.run(command).out->head(), "one\ntwo\n");
}

TEST(RunProcess, TheProgramGetsNothingOfTheCallers) {
  const Scratch scratch;
  const int leaked = open(scratch.file("secret", "x").c_str(), O_RDONLY);  // without close-on-exec
  sigset_t blocked;
  sigemptyset(&blocked);
  sigaddset(&blocked, SIGTERM);
  pthread_sigmask(SIG_BLOCK, &blocked, nullptr);
  Launcher launcher;
  auto command = behave({"descriptors", "tty", "pwd", "signal", "15"});
  command.directory = scratch.path();
  const auto result = launcher.run(command);
  pthread_sigmask(SIG_UNBLOCK, &blocked, nullptr);
  close(leaked);
  EXPECT_EQ(result.out->head(), "3\nno terminal\n" + scratch.path() + "\n");
  EXPECT_EQ(result.signal, 15) << "a blocked TERM was inherited";
}

TEST(RunProcess, OutputReopenedByTheProgramIsNotOverwritten) {
  Launcher launcher;
  const auto result = launcher.run(behave({"say", "first", "reopen-stdout", "second", "say", "third"}));
  EXPECT_EQ(result.out->head(), "first\nsecond\nthird\n");
}

TEST(RunProcess, NamesTheReasonForAFailedStart) {
  const Scratch scratch;
  Launcher launcher;
  EXPECT_THAT(launcher.run({.program = "/nowhere/x", .arguments = {"x"}}).not_started.value(),
              HasSubstr("/nowhere/x can't be executed: No such file"));
  auto command = behave({});
  command.directory = "/nowhere";
  EXPECT_THAT(launcher.run(command).not_started.value(), HasSubstr("working directory /nowhere"));
  command = behave({});
  command.stdin_file = "/nowhere";
  EXPECT_THAT(launcher.run(command).not_started.value(), HasSubstr("its input /nowhere"));
  EXPECT_EQ(launcher.run(behave({"exit", "127"})).exit_status, 127) << "127 is the program's own";
}

TEST(RunProcess, ManyArgumentsPass) {
  Launcher launcher;
  std::vector<std::string> steps;
  for (int i = 0; i < 20000; ++i) steps.emplace_back("nothing");
  steps.insert(steps.end(), {"say", "end"});
  EXPECT_EQ(launcher.run(behave(steps)).out->head(), "end\n");
}

TEST(RunProcess, ReapsNoChildButItsOwn) {
  const pid_t mine = fork();
  if (mine == 0) _exit(42);
  {
    Launcher launcher;
    launcher.run(behave({"daemonise", "/dev/null"}));
  }
  int status = 0;
  EXPECT_EQ(waitpid(mine, &status, 0), mine);
  EXPECT_EQ(WEXITSTATUS(status), 42);
  EXPECT_EQ(waitpid(-1, &status, WNOHANG), -1) << "the launcher was left behind";
}

TEST(FindProgram, NamesWhatIsWrong) {
  const Scratch scratch;
  scratch.file("notes.txt", "x");
  const auto says = [&](const std::string& name) {
    try {
      find_program(name, scratch.path());
    } catch (const Error& error) {
      return std::string(error.what());
    }
    return std::string("found");
  };
  EXPECT_THAT(says("./none"), HasSubstr("there is no such program"));
  EXPECT_THAT(says("./notes.txt"), HasSubstr("not executable"));
  EXPECT_THAT(says("./"), HasSubstr("a folder"));
  EXPECT_THAT(says("notes.txt"), HasSubstr("write ./notes.txt"));
  EXPECT_THAT(says("no-such-program-here"), HasSubstr("in PATH"));
  EXPECT_EQ(find_program("sh", "/").front(), '/');
  EXPECT_THROW(find_readable("none", scratch.path()), Error);
}

}  // namespace
}  // namespace assay::measure
