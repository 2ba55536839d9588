#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <filesystem>

#include "support/repository.hpp"

namespace assay::test {
namespace {

using testing::AllOf;
using testing::HasSubstr;
using testing::Not;

/// A project whose program is a script: v1, a commit that takes much longer, and edits that repair it.
class DuelOfCommits : public testing::Test {
 protected:
  DuelOfCommits() {
    repository_.commit("Plan routes", "plan.sh", script("0.001"));
    repository_.git({"tag", "v1"});
    repository_.commit("Search twice", "plan.sh", script("0.03"));
  }
  static std::string script(const std::string& seconds) {
    return "#!/bin/sh\nexec " BEHAVE " spin " + seconds + " print ok\n";
  }
  static constexpr const char* copy = "install -m 755 plan.sh ${out}/plan";

  Scratch scratch_;
  TestRepository repository_{scratch_, "project"};
};

TEST_F(DuelOfCommits, GatesAndWritesJunit) {
  const auto ran =
      repository_.tool({"duel", "--commits", "v1,HEAD", "--build", copy, "--equal", "--allow", "5%",
                        "--junit", "../gate.xml", "--rounds", "7..40", "--", "${out}/plan"});
  EXPECT_EQ(ran.status, 1) << ran.err;
  EXPECT_THAT(ran.out, AllOf(HasSubstr("HEAD  slower than v1"), HasSubstr("the gate does not pass")));
  EXPECT_THAT(read_file(scratch_.path("gate.xml")), HasSubstr("<failure"));
  EXPECT_TRUE(std::filesystem::exists(repository_.path(".assay/ledger.db")));
  EXPECT_THAT(repository_.tool({"verdict"}).out, HasSubstr("slower than v1"));
  scratch_.file("project/plan.sh", script("0.001"));
  EXPECT_EQ(repository_
                .tool({"duel", "--commits", "HEAD,.", "--build", copy, "--allow", "5%", "--rounds", "7..40",
                       "--", "${out}/plan"})
                .status,
            0)
      << "the edits repair it";
}

TEST_F(DuelOfCommits, NamesWhatIsWrongWithTheRequest) {
  const auto said = [&](const std::vector<std::string>& words) {
    std::vector<std::string> all = {"duel", "--rounds", "7"};
    all.insert(all.end(), words.begin(), words.end());
    const auto ran = repository_.tool(all);
    EXPECT_EQ(ran.status, 2);
    return ran.err;
  };
  EXPECT_THAT(said({"--commits", "v1,HEAD", "--", "${out}/plan"}),
              AllOf(HasSubstr("it has none of CMakeLists.txt"), HasSubstr("--build 'COMMAND'")));
  EXPECT_THAT(said({"--commits", "v1,HEAD", "--build", copy, "--", "./plan"}), HasSubstr("'${out}/plan'"));
  EXPECT_THAT(said({"--commits", "v1", "--build", copy, "--", "${out}/plan"}),
              HasSubstr("nothing to compare"));
  EXPECT_THAT(said({"--commits", "v1,HEAD", "--build", copy}), HasSubstr("no command to run"));
  EXPECT_THAT(said({"--commits", "v1,HEAD", "--build", copy, "--", "${out}/plan", "vs", "x"}),
              HasSubstr("leave out the word vs"));
  const auto ran = repository_.tool({"duel", "--commits", "v1,HEAD", "--build", copy, "--", "${out}/paln"});
  EXPECT_EQ(ran.status, 3);
  EXPECT_THAT(ran.out, HasSubstr("there is plan"));
}

TEST_F(DuelOfCommits, LinksAnewForEachRoundWhenAsked) {
  const auto source = [](const std::string& more) {
    return "static volatile long sum;\n" + more +
           "int main(void) { for (long i = 0; i < 3000000; ++i) sum += i; return 0; }\n";
  };
  repository_.commit("In C", "plan.c", source(""));
  repository_.git({"tag", "c1"});
  repository_.commit("A function more", "plan.c", source("int unused(int x) { return x * 3; }\n"));
  const std::vector<std::string> duel = {
      "duel",       "--commits", "c1,HEAD", "--build", "cc -O1 -o ${out}/plan plan.c",
      "--relink=7", "--rounds",  "9",       "--watch", "cpu time"};
  auto words = duel;
  words.insert(words.end(), {"--", "${out}/plan"});
  const auto ran = repository_.tool(words);
  EXPECT_EQ(ran.status, 0) << ran.err;
  EXPECT_THAT(ran.err, HasSubstr("HEAD: linked anew for each round, common layouts"));
  EXPECT_THAT(ran.out, AllOf(HasSubstr("9 rounds of 7 layouts"), HasSubstr("its cpu time by")));
  EXPECT_THAT(repository_.tool({"verdict", "--json"}).out, HasSubstr("\"kind\": \"layouts repeat\""));
  words = duel;
  words[5] = "--relink";
  words.insert(words.end(), {"--save-plan", "saved.toml", "--", "${out}/plan"});
  EXPECT_EQ(repository_.tool(words).status, 0);
  EXPECT_THAT(read_file(repository_.path("saved.toml")), HasSubstr("relink = true"));
  EXPECT_EQ(repository_.tool({"duel", "--relink", "a", "vs", "b"}).status, 2) << "it is for commits";
}

TEST_F(DuelOfCommits, CanBeSavedAsAPlan) {
  scratch_.file("project/Makefile", "all:\n\ttrue\n");
  const auto saved = repository_.tool(
      {"duel", "--commits", "v1,.", "--save-plan", "p.toml", "--", "sh", "${source}/plan.sh"});
  EXPECT_EQ(saved.status, 0);
  EXPECT_THAT(saved.err, AllOf(HasSubstr("a Make project (Makefile)"), HasSubstr("make -j '${jobs}'")));
  const auto shown = repository_.tool({"run", "--show", "p.toml"});
  EXPECT_THAT(shown.out,
              AllOf(HasSubstr("working tree is built from the working tree"), HasSubstr("2 cells")));
}

TEST_F(DuelOfCommits, APlanToBeginWithIsWrittenOnce) {
  scratch_.file("project/CMakeLists.txt", "add_executable(towpath plan.cpp)\n");
  const auto written = repository_.tool({"plan"});
  EXPECT_EQ(written.status, 0);
  EXPECT_THAT(written.err, HasSubstr("for a CMake project"));
  EXPECT_THAT(repository_.tool({"run", "--show"}).out, HasSubstr("cmake --build '${out}'"));
  const auto before = read_file(repository_.path("assay.toml"));
  const auto again = repository_.tool({"plan"});
  EXPECT_EQ(again.status, 2);
  EXPECT_THAT(again.err, HasSubstr("there is a plan already"));
  EXPECT_EQ(read_file(repository_.path("assay.toml")), before);
}

TEST(Duel, TakesTheEndOfItsOptionsAndLeavesACommandsOwn) {
  const Scratch scratch;
  const auto ran = assay(scratch, {"duel", "--rounds", "6", "--names", "a,b", "--", "/bin/echo", "--", "x",
                                   "vs", "/bin/echo", "x"});
  EXPECT_EQ(ran.status, 0) << ran.err;
  EXPECT_THAT(ran.out, HasSubstr("its output differs from the baseline's")) << "the second -- is echo's";
  EXPECT_THAT(ran.err, Not(HasSubstr("expected")));
}

}  // namespace
}  // namespace assay::test
