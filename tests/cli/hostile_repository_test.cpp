#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <sys/stat.h>

#include <filesystem>
#include <fstream>
#include <regex>

#include "support/tool.hpp"

// What a repository, a pull request or a killed process can leave for the next command that runs there.

namespace assay {
namespace {

using test::assay;
using test::Ran;
using test::Scratch;
using testing::HasSubstr;
using testing::Not;
namespace fs = std::filesystem;

class HostileRepository : public testing::Test {
 protected:
  /// A repository of two commits, whose build copies a script that prints what it was built with.
  HostileRepository() {
    scratch_.file("r/mk.sh",
                  "printf '#!/bin/sh\\n# %s\\necho total 3\\n' \"$CFLAGS\" > \"$1/m\"; chmod 755 \"$1/m\"\n");
    shell(
        "git init -q -b main . && git config user.email a@b && git config user.name a && git add -A && "
        "git commit -qm one && echo '# more' >> mk.sh && git commit -qam two");
  }

  Ran shell(const std::string& command) const {
    const auto ran = test::run(scratch_, {"/bin/sh", "-c", "cd '" + scratch_.path("r") + "' && " + command});
    EXPECT_EQ(ran.status, 0) << command << "\n" << ran.err;
    return ran;
  }

  /// The tool in the repository's folder, with `variables` in its environment.
  Ran tool(const std::vector<std::string>& words, const std::string& variables = {}) const {
    std::string command = "cd '" + scratch_.path("r") + "' && " + variables + " exec '" + ASSAY_TOOL + "'";
    for (const auto& word : words) command += " '" + word + "'";
    return test::run(scratch_, {"/bin/sh", "-c", command});
  }

  Ran duel(const std::string& variables = {}, const std::string& commits = "HEAD~1,HEAD") const {
    return tool(
        {"duel", "--rounds", "6", "--commits", commits, "--build", "sh mk.sh ${out}", "--", "${out}/m"},
        variables);
  }

  std::vector<std::string> built_programs() const {
    std::vector<std::string> found;
    for (const auto& entry : fs::recursive_directory_iterator(scratch_.path("r/.assay/cache/builds")))
      if (entry.path().filename() == "m") found.push_back(entry.path().string());
    return found;
  }

  std::string own_repository() const {
    for (const auto& entry : fs::directory_iterator(scratch_.path("r/.assay/cache/git")))
      if (entry.is_directory()) return entry.path().string();
    return {};
  }

  Scratch scratch_;
};

TEST_F(HostileRepository, ACommittedAssayFolderIsNeitherReadNorUsed) {
  scratch_.file("victim", "abcd");
  scratch_.file("r/assay.toml", "");
  ASSERT_EQ(duel().status, 0);
  shell(
      "rm -f .assay/.gitignore .assay/ledger.db-reserve && ln -s ../../victim .assay/ledger.db-reserve && "
      "git add -f .assay/ledger.db .assay/ledger.db-reserve && git commit -qm shipped");
  for (const std::vector<std::string>& words : {std::vector<std::string>{"verdict"},
                                                {"ledger"},
                                                {"report"},
                                                {"again"},
                                                {"ledger", "prune", "--keep", "0"}}) {
    const auto ran = tool(words);
    EXPECT_EQ(ran.status, 2) << words.front();
    EXPECT_THAT(ran.err, HasSubstr("came with the repository"));
  }
  EXPECT_THAT(duel().err, HasSubstr("came with the repository"));
  EXPECT_EQ(test::read_file(scratch_.path("victim")), "abcd");
}

TEST_F(HostileRepository, LinksBesideTheLedgerAndThePageAreNotFollowed) {
  scratch_.file("victim", "abcd");
  ASSERT_EQ(duel().status, 0);
  const auto listed = tool({"ledger"}).out;
  std::smatch found;
  ASSERT_TRUE(std::regex_search(listed, found, std::regex("\n  ([0-9a-f]{8})  "))) << listed;
  const auto id = found.str(1);
  shell(
      "rm -f .assay/ledger.db-reserve .assay/.gitignore && ln -s ../../victim .assay/ledger.db-reserve && "
      "ln -s ../../victim .assay/.gitignore && ln -s ../victim assay-" +
      id + ".html");
  EXPECT_EQ(tool({"verdict"}).status, 0);
  const auto report = tool({"report"});
  EXPECT_EQ(report.status, 0) << report.err;
  EXPECT_THAT(report.err, HasSubstr("assay-" + id));
  EXPECT_EQ(duel().status, 0);
  EXPECT_EQ(test::read_file(scratch_.path("victim")), "abcd");
  EXPECT_TRUE(fs::is_regular_file(fs::symlink_status(scratch_.path("r/assay-" + id + ".html"))));
}

TEST_F(HostileRepository, TheCachesGitConfigurationRunsNothing) {
  ASSERT_EQ(duel().status, 0);
  std::ofstream(own_repository() + "/config", std::ios::app)
      << "[protocol \"ext\"]\n\tallow = always\n[core]\n\tfsmonitor = touch " << scratch_.path("ran")
      << "\n[url \"ext::sh -c touch% " << scratch_.path("ran") << "\"]\n\tinsteadOf = " << scratch_.path("r")
      << "/.git\n";
  EXPECT_EQ(duel().status, 0);
  EXPECT_EQ(tool({"locate", "--good", "HEAD~1", "--show"}).status, 2) << "there is no plan";
  EXPECT_FALSE(fs::exists(scratch_.path("ran")));
  EXPECT_THAT(test::read_file(own_repository() + "/config"), Not(HasSubstr("ext::")));
}

TEST_F(HostileRepository, AProgramThatWasReplacedInTheCacheIsBuiltAgain) {
  ASSERT_EQ(duel().status, 0);
  const auto programs = built_programs();
  ASSERT_EQ(programs.size(), 2U);
  for (const auto& program : programs)
    std::ofstream(program) << "#!/bin/sh\ntouch " << scratch_.path("ran") << "\necho total 3\n";
  const auto ran = duel();
  EXPECT_EQ(ran.status, 0) << ran.err;
  EXPECT_THAT(ran.err, HasSubstr("it is built again"));
  EXPECT_FALSE(fs::exists(scratch_.path("ran")));
}

TEST_F(HostileRepository, AKillWhileACommitIsLaidOutLeavesItBuildable) {
  ASSERT_EQ(duel().status, 0);
  const auto own = own_repository();
  // As git leaves it when it is killed: worktrees that are locked and gone, and locks of its files.
  for (const auto& entry : fs::directory_iterator(own + "/worktrees"))
    std::ofstream(entry.path() / "locked") << "initializing";
  fs::remove_all(scratch_.path("r/.assay/cache/builds"));
  for (const char* left : {"config.lock", "HEAD.lock", "packed-refs.lock", "shallow.lock"})
    std::ofstream(own + "/" + left) << "";
  const auto ran = duel();
  EXPECT_EQ(ran.status, 0) << ran.err;
}

TEST_F(HostileRepository, SeveralProcessesShareACache) {
  scratch_.file("r/edit", "uncommitted");
  const auto ran =
      shell("for i in 1 2 3 4; do ASSAY_MACHINE_LOCK=$$-$i '" + std::string(ASSAY_TOOL) +
            "' duel --rounds 6 --commits HEAD~1,HEAD,. --build 'sh mk.sh ${out}' -- '${out}/m' > out-$i "
            "2> err-$i; echo $? > status-$i & done; wait");
  for (const char* i : {"1", "2", "3", "4"})
    EXPECT_EQ(test::read_file(scratch_.path("r/status-" + std::string(i))), "0\n")
        << test::read_file(scratch_.path("r/err-" + std::string(i)));
}

TEST_F(HostileRepository, ABuildOfAnotherEnvironmentIsAnotherBuild) {
  EXPECT_THAT(duel("CFLAGS=-O1").err, HasSubstr("step 1 of 1"));
  EXPECT_THAT(duel("CFLAGS=-O2").err, HasSubstr("step 1 of 1")) << "the first would be another program";
  EXPECT_THAT(duel("CFLAGS=-O1").err, Not(HasSubstr("step 1 of 1"))) << "it is there still";
  EXPECT_EQ(built_programs().size(), 4U);
}

TEST_F(HostileRepository, SubmodulesWithBlanksAreBroughtAlongAndNoneLeadsElsewhere) {
  shell(
      "git init -q -b main ../lib && cd ../lib && git config user.email a@b && git config user.name a && "
      "echo 1 > part && git add part && git commit -qm lib");
  shell("git -c protocol.file.allow=always submodule --quiet add --name 'a lib' '" + scratch_.path("lib") +
        "' 'x lib' && echo 'test -f \"x lib/part\" || exit 1' >> mk.sh && git add -A && git commit -qm three "
        "&& "
        "echo '# x' >> mk.sh && git commit -qam four");
  const auto ran = duel();
  EXPECT_EQ(ran.status, 0) << ran.err;
  shell("git config --file .gitmodules --rename-section 'submodule.a lib' 'submodule." +
        scratch_.path("lib") +
        "/.git' && git commit -qam five && echo '# y' >> mk.sh && git commit -qam six");
  EXPECT_THAT(duel().err, HasSubstr("leads out of its repository"));
}

TEST_F(HostileRepository, ACommitWhoseBuildKillsItsLauncherIsOneThatDoesNotBuild) {
  shell(
      "echo 'kill -9 $PPID' >> mk.sh && git commit -qam bad && git checkout -q HEAD~1 -- mk.sh && git commit "
      "-qam good");
  const auto ran = duel({}, "HEAD~2,HEAD~1,HEAD");
  EXPECT_EQ(ran.status, 0) << ran.err;
  EXPECT_THAT(ran.out + ran.err, HasSubstr("the launcher process has gone"));
}

TEST_F(HostileRepository, TheUsersIndexStaysAsItIs) {
  shell("touch -d '2020-01-01' mk.sh");
  const auto before = test::read_file(scratch_.path("r/.git/index"));
  EXPECT_EQ(duel({}, "HEAD~1,.").status, 0);
  EXPECT_EQ(test::read_file(scratch_.path("r/.git/index")), before);
}

TEST(ForeignLedger, IsNotMeasuredAgainUnasked) {
  const Scratch mine, theirs;
  mine.file(
      "assay.toml",
      "[rounds]\nmin = 6\nmax = 6\n[[candidate]]\nname = 'a'\nrun = ['/bin/sh', 'x.sh']\n[[candidate]]\n"
      "name = 'b'\nrun = ['/bin/sh', 'x.sh']\n[[workload]]\nname = 'w'\n");
  mine.file("x.sh", "echo 1 >> ran\n");
  ASSERT_EQ(assay(mine, {"run"}).status, 0);
  fs::remove(mine.path("ran"));
  // Another user, to whom this folder came.
  const auto as_other = [&](std::vector<std::string> words) {
    words.insert(words.begin(), ASSAY_TOOL);
    words.insert(words.end(), {"--ledger", mine.path(".assay/ledger.db")});
    return test::run(theirs, words);
  };
  const auto refused = as_other({"again", "--only", "candidate=b"});
  EXPECT_EQ(refused.status, 2);
  EXPECT_THAT(refused.err, HasSubstr("sh x.sh"));
  EXPECT_FALSE(fs::exists(mine.path("ran")));
  EXPECT_EQ(as_other({"again", "--trust", "--only", "candidate=b", "--rounds", "6"}).status, 0);
  EXPECT_TRUE(fs::exists(mine.path("ran")));
}

TEST(Ledger, AndItsFolderAreThisUsersAlone) {
  const Scratch scratch;
  ASSERT_EQ(assay(scratch, {"duel", "--rounds", "6", "/bin/true", "vs", "/bin/false", "--ledger",
                            scratch.path("a/l.db")})
                .status,
            3)
      << "no challenger could be measured";
  const auto mode = [&](const std::string& name) {
    struct stat found {};
    EXPECT_EQ(stat(scratch.path(name).c_str(), &found), 0) << name;
    return found.st_mode & 0777U;
  };
  ASSERT_EQ(assay(scratch, {"duel", "--rounds", "6", "--ledger", scratch.path("b/l.db"), "/bin/true", "vs",
                            "/bin/true", "x"})
                .status,
            0);
  EXPECT_EQ(mode("b"), 0700U);
  EXPECT_EQ(mode("b/l.db"), 0600U);
}

TEST(ExitStatus, IsNotDoneWhereOnlyATwinCouldBeMeasured) {
  const Scratch scratch;
  scratch.file("assay.toml",
               "[rounds]\nmin = 8\nmax = 8\n[[candidate]]\nname = 'a'\nrun = ['/bin/true']\n[[candidate]]\n"
               "name = 'b'\nrun = ['/bin/false']\n[[workload]]\nname = 'w'\n");
  EXPECT_EQ(assay(scratch, {"run"}).status, 3);
}

TEST(Resume, RefusesAScriptThatHasChanged) {
  const Scratch scratch;
  scratch.file(
      "assay.toml",
      "[rounds]\nmin = 6\nmax = 400\n[[candidate]]\nname = 'a'\nrun = ['sh', 's.sh']\n[[candidate]]\n"
      "name = 'b'\nrun = ['sh', 's.sh', 'x']\n[[workload]]\nname = 'w'\n");
  scratch.file("s.sh", "#!/bin/sh\nsleep 0.02\n");
  test::Started tool(scratch, {ASSAY_TOOL, "run"});
  while (test::read_file(tool.pid() > 0 ? scratch.path(".assay/ledger.db") : "").empty()) usleep(10'000);
  usleep(400'000);
  kill(tool.pid(), SIGTERM);
  EXPECT_EQ(tool.wait().status, 130);
  scratch.file("s.sh", "#!/bin/sh\nsleep 0.01\n");
  const auto ran = assay(scratch, {"run", "--resume"});
  EXPECT_EQ(ran.status, 2);
  EXPECT_THAT(ran.err, HasSubstr("program has changed"));
}

}  // namespace
}  // namespace assay
