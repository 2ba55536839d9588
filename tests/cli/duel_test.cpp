#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "support/tool.hpp"

namespace assay::test {
namespace {

using nlohmann::json;
using testing::HasSubstr;
using testing::Not;

std::vector<std::string> duel(std::vector<std::string> options, const std::vector<std::string>& a,
                              const std::vector<std::string>& b) {
  options.insert(options.begin(), "duel");
  options.emplace_back(BEHAVE);
  options.insert(options.end(), a.begin(), a.end());
  options.insert(options.end(), {"vs", BEHAVE});
  options.insert(options.end(), b.begin(), b.end());
  return options;
}

TEST(Duel, ComparesTwoCommandsAtOnce) {
  const Scratch scratch;
  const auto ran =
      assay(scratch, duel({"--rounds", "8", "--names", "slow,quick"}, {"spin", "0.2"}, {"spin", "0.02"}));
  EXPECT_EQ(ran.status, 0) << ran.err;
  EXPECT_THAT(ran.out, HasSubstr("quick  faster than slow: wall time ÷"));
  EXPECT_THAT(ran.out, HasSubstr("8 rounds"));
}

TEST(Duel, PausesAndMeasuresOnAsAsked) {
  const Scratch scratch;
  const auto ran = assay(scratch, duel({"--pause", "1ms", "--precise", "90%", "--rounds", "7..20", "--json"},
                                       {"spin", "0.01"}, {"spin", "0.1"}));
  EXPECT_EQ(ran.status, 0) << ran.err;
  EXPECT_THAT(assay(scratch, {"verdict"}).out, HasSubstr("slower than"));
  const auto refused = assay(scratch, duel({"--precise", "200%"}, {"spin", "0"}, {"spin", "0"}));
  EXPECT_EQ(refused.status, 2);
  EXPECT_THAT(refused.err, HasSubstr("--precise"));
  EXPECT_EQ(assay(scratch, duel({"--pause", "soon"}, {"spin", "0"}, {"spin", "0"})).status, 2);
}

TEST(Duel, ShowsInATerminalWhatItDoes) {
  const Scratch scratch;
  const std::string command = std::string(ASSAY_TOOL) + " duel --turns --rounds 6 --names a,b true vs true x";
  const auto shown = run(scratch, {"/usr/bin/script", "-qec", command, "/dev/null"}).out;
  std::size_t at = 0;
  for (const char* line : {"checking the work, 0 of 2 done; now ", "warming up; now ", "round 0 of 6 done",
                           "round 5 of 6 done"}) {
    const auto next = shown.find(line, at);
    ASSERT_NE(next, std::string::npos) << line << " is not in:\n" << shown;
    at = next;
  }
  EXPECT_EQ(shown.find("pilot rounds"), std::string::npos) << "the way of running was given";
}

TEST(Duel, ReportsBeforeItIsSpentThatABudgetCanDecideNothing) {
  const Scratch scratch;
  const auto ran = assay(scratch, duel({"--budget", "1s"}, {"sleep", "0.15"}, {"sleep", "0.15"}));
  EXPECT_THAT(ran.err, HasSubstr("and a first verdict needs 10: it takes "));
}

TEST(Duel, PrintsTheFindingsDocument) {
  const Scratch scratch;
  const auto ran = assay(scratch, duel({"--json", "--rounds", "7", "--seed", "5", "--names", "a,b"},
                                       {"spin", "0.02"}, {"spin", "0.2"}));
  ASSERT_EQ(ran.status, 0) << ran.err;
  const auto document = json::parse(ran.out);
  EXPECT_EQ(document["format"], 3);
  EXPECT_EQ(document["campaign"]["seed"], "5");
  EXPECT_EQ(document["campaign"]["rounds"], 7);
  const auto& finding = document["findings"][0];
  EXPECT_EQ(finding["metric"], "wall time");
  EXPECT_EQ(finding["candidate"], "b");
  EXPECT_EQ(finding["verdict"], "worse");
  EXPECT_GT(finding["ratio"], 2.0);
}

TEST(Duel, EndsWhenAllIsDecidedUnlessGivenANumberOfRounds) {
  const Scratch scratch;
  const auto ran = assay(scratch, duel({"--json"}, {"spin", "0.002"}, {"spin", "0.08"}));
  ASSERT_EQ(ran.status, 0) << ran.err;
  const auto document = json::parse(ran.out);
  EXPECT_LT(document["campaign"]["rounds"], 60) << "forty times as long should be seen before sixty rounds";
  EXPECT_GE(document["campaign"]["rounds"], 2);
  EXPECT_GT(document["findings"][0]["repeats"]["baseline"], 1) << "it costs little beside the other";
  EXPECT_EQ(document["findings"][0]["repeats"]["candidate"], 1);
}

TEST(Duel, RunsTheCheapOneSeveralTimesBesideTheExpensiveOne) {
  const Scratch scratch;
  const auto ran = assay(scratch, duel({"--names", "slow,quick"}, {"spin", "0.2"}, {"spin", "0.01"}));
  ASSERT_EQ(ran.status, 0) << ran.err;
  EXPECT_THAT(ran.out, HasSubstr("quick  faster than slow: "));
  EXPECT_THAT(ran.out, HasSubstr("runs each"));
  const auto shown = assay(scratch, {"verdict"});
  EXPECT_EQ(shown.out, ran.out) << "judged again from the ledger";
  const auto step = assay(scratch, duel({"--before", "true"}, {"spin", "0.2"}, {"spin", "0.01"}));
  EXPECT_THAT(step.out, Not(HasSubstr("runs each"))) << "nobody knows what the step before each trial costs";
}

TEST(Duel, PassesNothingThroughAShell) {
  const Scratch scratch;
  const auto ran = assay(scratch, {"duel", "--rounds", "6", "--equal", "/bin/echo", "$HOME", "${x}", "vs",
                                   "/usr/bin/printf", "%s %s\\n", "$HOME", "${x}"});
  EXPECT_EQ(ran.status, 0) << ran.err << ran.out;
}

TEST(Duel, EqualMakesADifferenceAFailureElseItIsANote) {
  const Scratch scratch;
  auto ran = assay(scratch, duel({"--rounds", "6", "--equal"}, {"say", "a"}, {"say", "b"}));
  EXPECT_EQ(ran.status, 3);
  EXPECT_THAT(ran.out, HasSubstr("its answer is wrong: its output is not the baseline's: line 1: \"b\""));
  EXPECT_THAT(ran.err, HasSubstr("nothing could be compared"));
  ran = assay(scratch, duel({"--rounds", "6"}, {"say", "a"}, {"say", "b"}));
  EXPECT_EQ(ran.status, 0);
  EXPECT_THAT(ran.out, HasSubstr("its output differs from the baseline's"));
}

TEST(Duel, MatchAndExitOkAndStdinAreHeeded) {
  const Scratch scratch;
  scratch.file("in.txt", "total 3\n");
  auto ran =
      assay(scratch, duel({"--rounds", "6", "--match", "^total", "--stdin", "in.txt", "--exit-ok", "0,3"},
                          {"cat"}, {"cat", "exit", "3"}));
  EXPECT_EQ(ran.status, 0) << ran.out << ran.err;
  ran = assay(scratch, duel({"--rounds", "6", "--match", "^total"}, {"say", "total"}, {"say", ""}));
  EXPECT_EQ(ran.status, 3);
  EXPECT_THAT(ran.out, HasSubstr("\"^total\" does not occur"));
}

TEST(Duel, AFailingCandidateShowsItsLastWords) {
  const Scratch scratch;
  const auto ran =
      assay(scratch, duel({"--rounds", "6"}, {"say", "a"}, {"complain", "the lock is shut", "exit", "9"}));
  EXPECT_EQ(ran.status, 3);
  EXPECT_THAT(ran.out, HasSubstr("ended with exit status 9"));
  EXPECT_THAT(ran.out, HasSubstr("the lock is shut"));
}

TEST(Duel, SavesAPlanThatRunTakes) {
  const Scratch scratch;
  const auto ran = assay(scratch, duel({"--rounds", "6", "--save-plan", "d.toml", "--names", "x,y"},
                                       {"say", "${z}"}, {"say", "b"}));
  ASSERT_EQ(ran.status, 0) << ran.err;
  EXPECT_EQ(assay(scratch, duel({"--save-plan", "d.toml"}, {"say", "a"}, {"say", "b"})).status, 2)
      << "written over";
  const auto shown = assay(scratch, {"run", "--show", "d.toml"});
  EXPECT_THAT(shown.out, HasSubstr("say '${z}'"));
  EXPECT_EQ(assay(scratch, {"run", "d.toml"}).status, 0);
}

struct Wrong {
  const char* name;
  std::vector<std::string> arguments;
  const char* message;
};

class WrongRequest : public testing::TestWithParam<Wrong> {};

TEST_P(WrongRequest, GetsOneClearMessageAndExitTwo) {
  const Scratch scratch;
  scratch.file("plain.txt", "x");
  scratch.file("assay.toml", "[plan]\nbasline = \"a\"\n");
  scratch.file("rubbish.toml", std::string("\x00\x01\xff", 3));
  const auto ran = assay(scratch, GetParam().arguments);
  EXPECT_EQ(ran.status, 2) << ran.out;
  EXPECT_THAT(ran.err, HasSubstr(GetParam().message));
  EXPECT_EQ(ran.out, "");
  EXPECT_FALSE(std::filesystem::exists(scratch.path("state/assay/ledger.db"))) << "nothing was to be begun";
}

INSTANTIATE_TEST_SUITE_P(
    All, WrongRequest,
    testing::Values(
        Wrong{"OfOne", {"duel", "/bin/true"}, "only one command is given: /bin/true"},
        Wrong{"OfNone", {"duel"}, "there is nothing to compare"},
        Wrong{"MissingSide", {"duel", "/bin/true", "vs"}, "a command is missing beside the word vs"},
        Wrong{"MissingProgram", {"duel", "/bin/true", "vs", "./none"}, "./none: there is no such program"},
        Wrong{"NotExecutable", {"duel", "/bin/true", "vs", "./plain.txt"}, "not executable"},
        Wrong{"Folder", {"duel", "/bin/true", "vs", "/tmp"}, "a folder"},
        Wrong{"MissingInput",
              {"duel", "--stdin", "none.txt", "/bin/cat", "vs", "/bin/true"},
              "none.txt: there is no such file"},
        Wrong{"UnknownOption", {"duel", "--ronds", "7", "/bin/true", "vs", "/bin/false"}, "--ronds"},
        Wrong{"TooFewRounds",
              {"duel", "--rounds", "5", "/bin/true", "vs", "/bin/false"},
              "--rounds: 5 rounds can't decide anything"},
        Wrong{"RoundsNotANumber",
              {"duel", "--rounds", "many", "/bin/true", "vs", "/bin/false"},
              "--rounds: \"many\" is not a number of rounds"},
        Wrong{"BareMargin",
              {"duel", "--margin", "1", "/bin/true", "vs", "/bin/false"},
              "--margin: \"1\" is not a share"},
        Wrong{"BareBudget",
              {"duel", "--budget", "60", "/bin/true", "vs", "/bin/false"},
              "--budget: \"60\" is not a duration"},
        Wrong{"WrongNames",
              {"duel", "--names", "a", "/bin/true", "vs", "/bin/false"},
              "--names: 1 names for 2 commands"},
        Wrong{"SameNames",
              {"duel", "--names", "a,a", "/bin/true", "vs", "/bin/false"},
              "--names: two candidates are named \"a\""},
        Wrong{"BadPattern",
              {"duel", "--match", "(", "/bin/true", "vs", "/bin/false"},
              "--match: match is not a regular expression"},
        Wrong{"BadStatus",
              {"duel", "--exit-ok", "x", "/bin/true", "vs", "/bin/false"},
              "--exit-ok: \"x\" is not an exit status"},
        Wrong{
            "NotALedger", {"duel", "--ledger", "plain.txt", "/bin/true", "vs", "/bin/false"}, "not a ledger"},
        Wrong{"MisspeltPlan", {"run"}, "assay.toml:2:1: unknown key \"basline\""},
        Wrong{"NoSuchPlan", {"run", "none.toml"}, "there is no such plan"},
        Wrong{"RubbishPlan", {"run", "rubbish.toml"}, "binary data"},
        Wrong{"NoCampaign", {"verdict"}, "there is no campaign yet"},
        Wrong{"NoSuchOption",
              {"duel", "--budgt", "3s", "/bin/true", "vs", "/bin/false"},
              "unknown argument \"--budgt\"; did you mean \"--budget\"?; assay duel --help tells more"},
        Wrong{
            "OptionWithoutValue", {"run", "--rounds"}, "--rounds needs a value; assay run --help tells more"},
        Wrong{"OptionTwice",
              {"duel", "--budget", "3s", "--budget", "4s", "/bin/true", "vs", "/bin/false"},
              "--budget is given 2 times; give it once; assay duel --help tells more"},
        Wrong{"NoSuchCommand", {"dual"}, "unknown command \"dual\"; did you mean \"duel\"?"}),
    [](const auto& given) { return given.param.name; });

TEST(Tool, HelpTeachesByExampleAndVersionIsPrinted) {
  const Scratch scratch;
  EXPECT_THAT(assay(scratch, {"--help"}).out, HasSubstr("assay duel ./old in.txt vs ./new in.txt"));
  EXPECT_EQ(assay(scratch, {"--help"}).status, 0);
  for (const auto* command : {"duel", "run", "verdict", "ledger", "demo"}) {
    const auto help = assay(scratch, {command, "--help"});
    EXPECT_EQ(help.status, 0);
    EXPECT_THAT(help.out, HasSubstr("--help")) << command;
  }
  EXPECT_THAT(assay(scratch, {"--version"}).out, testing::StartsWith("assay "));
  EXPECT_EQ(assay(scratch, {}).status, 2);
}

TEST(Tool, AClosedStandardOutputIsReported) {
  const Scratch scratch;
  const auto ran = run(scratch, {"/bin/sh", "-c", std::string(ASSAY_TOOL) + " --help >/dev/full"});
  EXPECT_EQ(ran.status, 2);
  EXPECT_THAT(ran.err, HasSubstr("could not be written"));
}

}  // namespace
}  // namespace assay::test
