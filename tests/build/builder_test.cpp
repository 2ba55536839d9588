#include "assay/build/builder.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <filesystem>

#include "assay/build/compiler_info.hpp"
#include "assay/build/repository.hpp"
#include "assay/model/error.hpp"
#include "support/tool.hpp"

namespace assay::build {
namespace {
namespace fs = std::filesystem;
using testing::HasSubstr;

/// A repository with a program that prints a word, in a scratch folder.
class Repository : public testing::Test {
 protected:
  Repository() {
    git({"init", "--quiet", "--initial-branch=main"});
    say("one", "Say one");
    git({"tag", "v1"});
    say("two", "Say two");
  }

  void git(std::vector<std::string> arguments, const std::string& folder = "repo") {
    fs::create_directories(scratch_.path(folder));
    std::vector<std::string> command = {"/usr/bin/env",
                                        "GIT_CONFIG_GLOBAL=/dev/null",
                                        "GIT_CONFIG_SYSTEM=/dev/null",
                                        "git",
                                        "-C",
                                        scratch_.path(folder),
                                        "-c",
                                        "user.name=Keeper",
                                        "-c",
                                        "user.email=keeper@towpath.example",
                                        "-c",
                                        "protocol.file.allow=always"};
    command.insert(command.end(), arguments.begin(), arguments.end());
    const auto ran = test::run(scratch_, command);
    ASSERT_EQ(ran.status, 0) << ran.err;
  }

  void say(const std::string& word, const std::string& message) {
    scratch_.file("repo/word.txt", word + "\n");
    git({"add", "--all"});
    git({"commit", "--quiet", "--message", message});
  }

  BuildRequest order(const std::string& commit) const {
    return {.name = "c",
            .folder = scratch_.path("repo"),
            .commit = commit,
            .steps = {{"cp", "${source}/word.txt", "${out}/word"}}};
  }

  BuildResult build(const BuildRequest& order) {
    Builder builder(launcher_, cache_of(scratch_.path("plan")),
                    [&](const std::string& line) { said_.push_back(line); });
    return builder.build(order, {});
  }

  std::string word_of(const BuildResult& built) { return test::read_file(built.out + "/word"); }

  std::string problem_with(const std::string& commit, const std::string& folder = "repo") {
    auto wanted = order(commit);
    wanted.folder = scratch_.path(folder);
    try {
      build(wanted);
    } catch (const Error& error) {
      return error.what();
    }
    return "none";
  }

  test::Scratch scratch_;
  measure::Launcher launcher_;
  std::vector<std::string> said_;
};

TEST_F(Repository, TakesEachCommitAsItWas) {
  const auto old = build(order("v1"));
  EXPECT_TRUE(old.ok) << old.why;
  EXPECT_EQ(word_of(old), "one\n");
  EXPECT_EQ(old.from.commit.size(), 40U);
  EXPECT_THAT(old.from.title, HasSubstr("Say one"));
  EXPECT_TRUE(old.from.time.has_value());
  EXPECT_EQ(word_of(build(order("HEAD"))), "two\n");
  EXPECT_EQ(word_of(build(order("main~1"))), "one\n");
  EXPECT_EQ(build(order("v1")).from.commit, build(order("main~1")).from.commit);
}

TEST_F(Repository, TakesUncommittedAndUntrackedFilesButNotIgnoredOnes) {
  scratch_.file("repo/word.txt", "three\n");
  scratch_.file("repo/extra.txt", "new\n");
  scratch_.file("repo/.gitignore", "*.o\n");
  scratch_.file("repo/old.o", "no\n");
  const auto built = build(order("."));
  EXPECT_EQ(word_of(built), "three\n");
  EXPECT_TRUE(fs::exists(built.source + "/extra.txt"));
  EXPECT_FALSE(fs::exists(built.source + "/old.o"));
  EXPECT_THAT(built.from.title, HasSubstr("uncommitted edits on"));
  EXPECT_EQ(built.from.note, "");
}

TEST_F(Repository, ReportsWhenTheWorkingTreeHasNoEdits) {
  EXPECT_THAT(build(order(".")).from.note, HasSubstr("the same as HEAD"));
}

TEST_F(Repository, LeavesTheUsersRepositoryAsItWas) {
  scratch_.file("repo/word.txt", "three\n");
  const auto state = [&] {
    std::string all;
    for (const auto& entry : fs::recursive_directory_iterator(scratch_.path("repo")))
      if (entry.is_regular_file())
        all += entry.path().string() + "=" + test::read_file(entry.path().string()) + "\n";
    return all;
  };
  const auto before = state();
  auto wanted = order(".");
  wanted.steps.push_back({"rm", "${source}/word.txt"});
  ASSERT_TRUE(build(wanted).ok);
  ASSERT_TRUE(build(order("v1")).ok);
  EXPECT_EQ(state(), before);
}

TEST_F(Repository, BuildsEqualTreesAndStepsOnce) {
  EXPECT_FALSE(build(order("v1")).cached);
  EXPECT_TRUE(build(order("v1")).cached);
  EXPECT_TRUE(build(order("HEAD~1")).cached);
  auto other = order("v1");
  other.steps.push_back({"true"});
  EXPECT_FALSE(build(other).cached);
  EXPECT_FALSE(build(order("HEAD")).cached);
}

TEST_F(Repository, BuildsWhereTheVariableSays) {
  setenv("ASSAY_CACHE", scratch_.path("fast disk").c_str(), 1);
  const auto elsewhere = cache_of(scratch_.path("plan"));
  EXPECT_TRUE(build(order("v1")).ok);
  unsetenv("ASSAY_CACHE");
  EXPECT_EQ(elsewhere, scratch_.path("fast disk/cache"));
  EXPECT_EQ(cache_of(scratch_.path("plan")), scratch_.path("plan/.assay/cache"));
  EXPECT_TRUE(std::filesystem::exists(elsewhere + "/builds"));
  EXPECT_FALSE(std::filesystem::exists(scratch_.path("plan/.assay")));
  EXPECT_FALSE(build(order("v1")).cached) << "another cache has it";
}

TEST_F(Repository, TellsWhichStepFailedAndKeepsTheLog) {
  auto wanted = order("v1");
  wanted.steps.push_back({"sh", "-c", "echo the lock is stuck >&2; exit 3"});
  const auto built = build(wanted);
  EXPECT_FALSE(built.ok);
  EXPECT_THAT(built.why, HasSubstr("exit status 3"));
  EXPECT_THAT(built.why, HasSubstr("the lock is stuck"));
  EXPECT_THAT(test::read_file(built.log), HasSubstr("the lock is stuck"));
  EXPECT_FALSE(build(wanted).cached) << "what failed is tried again";
  wanted.steps = {{"no-such-program-here"}};
  EXPECT_THAT(build(wanted).why, HasSubstr("no program of this name"));
  EXPECT_THAT(said_, testing::Contains(HasSubstr("step 2 of 2")));
}

TEST_F(Repository, FindsWhereBranchesParted) {
  git({"checkout", "--quiet", "-b", "side", "v1"});
  say("side", "Go aside");
  EXPECT_EQ(word_of(build(order("merge-base:main"))), "one\n");
}

TEST_F(Repository, NamesWhatIsWrongWithAName) {
  EXPECT_THAT(problem_with("nosuch"), HasSubstr("there is no commit \"nosuch\""));
  EXPECT_THAT(problem_with("nosuch"), HasSubstr("git branch"));
  EXPECT_THAT(problem_with("--help"), HasSubstr("there is no commit"));
  EXPECT_THAT(problem_with("HEAD", "plan-without-git"), HasSubstr("there is no such folder"));
  fs::create_directories(scratch_.path("plain"));
  EXPECT_THAT(problem_with("HEAD", "plain"), HasSubstr("not in a git repository"));
}

TEST_F(Repository, ExplainsShallowClones) {
  git({"clone", "--quiet", "--depth=1", "file://" + scratch_.path("repo"), scratch_.path("shallow")}, ".");
  auto wanted = order("HEAD");
  wanted.folder = scratch_.path("shallow");
  EXPECT_EQ(word_of(build(wanted)), "two\n");
  EXPECT_THAT(problem_with("v1", "shallow"), HasSubstr("shallow clone"));
  EXPECT_THAT(problem_with("v1", "shallow"), HasSubstr("--unshallow"));
}

TEST_F(Repository, BringsSubmodulesAlong) {
  git({"init", "--quiet", "--initial-branch=main"}, "part");
  scratch_.file("part/part.txt", "a part\n");
  git({"add", "--all"}, "part");
  git({"commit", "--quiet", "--message", "A part"}, "part");
  git({"submodule", "--quiet", "add", scratch_.path("part"), "parts/one"});
  git({"commit", "--quiet", "--message", "Have a part"});
  fs::rename(scratch_.path("part"), scratch_.path("gone"));  // the copy in the repository must do
  auto wanted = order("HEAD");
  wanted.steps = {{"cp", "${source}/parts/one/part.txt", "${out}/word"}};
  const auto built = build(wanted);
  ASSERT_TRUE(built.ok) << built.why;
  EXPECT_EQ(word_of(built), "a part\n");
}

TEST_F(Repository, CopiesAFolderWithoutGit) {
  scratch_.file("plain/word.txt", "plain\n");
  auto wanted = order("");
  wanted.folder = scratch_.path("plain");
  wanted.steps.push_back({"rm", "word.txt"});
  const auto first = build(wanted);
  ASSERT_TRUE(first.ok) << first.why;
  EXPECT_EQ(word_of(first), "plain\n");
  EXPECT_TRUE(fs::exists(scratch_.path("plain/word.txt")));
  EXPECT_TRUE(build(wanted).cached);
  scratch_.file("plain/word.txt", "plainer\n");
  EXPECT_EQ(word_of(build(wanted)), "plainer\n");
}

TEST_F(Repository, StartsOverWhatWasCutOff) {
  const auto built = build(order("v1"));
  fs::remove(fs::path(built.out).parent_path() / "built.json");
  scratch_.file("rubbish", "half a program");
  fs::copy_file(scratch_.path("rubbish"), built.out + "/word", fs::copy_options::overwrite_existing);
  const auto again = build(order("v1"));
  EXPECT_FALSE(again.cached);
  EXPECT_EQ(word_of(again), "one\n");
}

TEST_F(Repository, ReadsHowItCompiled) {
  scratch_.file("out/compile_commands.json",
                R"([{"command": "c++ -O0 -O2 -std=c++20 -I/usr/include -DNDEBUG -c a.cpp"},
                    {"arguments": ["c++", "-march=native", "b.cpp"]}])");
  EXPECT_EQ(flags_of_build(scratch_.path("out"), "", {}), "-DNDEBUG -O0 -O2 -march=native -std=c++20");
  EXPECT_EQ(flags_of_build("", "", {{"g++", "-O", "a.cpp"}, {"make"}}), "-O1");
  EXPECT_EQ(flags_of_build("", "", {{"clang++", "a.cpp"}}), "-O0");
  EXPECT_EQ(flags_of_build("", "", {{"make"}}), "");
}

TEST_F(Repository, ReadsWhatAProgramReportsOfItself) {
  const auto source = scratch_.file("main.c", "int main(void) { return 0; }\n");
  const auto program = scratch_.path("main");
  const auto compile = [&](std::vector<std::string> options) {
    options.insert(options.begin(), {"/usr/bin/env", "gcc"});
    options.insert(options.end(), {"-o", program, source});
    ASSERT_EQ(test::run(scratch_, options).status, 0);
  };
  compile({"-O2", "-g"});
  EXPECT_THAT(compiler_info(program).compiler, HasSubstr("GCC"));
  EXPECT_THAT(compiler_info(program).flags, HasSubstr("-O2"));
  compile({"-fsanitize=address"});
  EXPECT_THAT(compiler_info(program).flags, HasSubstr("-fsanitize=address"));
  EXPECT_EQ(compiler_info(source).compiler, "");
}

}  // namespace
}  // namespace assay::build
