#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <sys/wait.h>
#include <unistd.h>

#include <csignal>
#include <filesystem>
#include <nlohmann/json.hpp>

#include "assay/judge/judge.hpp"
#include "assay/ledger/ledger.hpp"
#include "support/records.hpp"
#include "support/repository.hpp"
#include "support/schema.hpp"

namespace assay::test {
using namespace model;
namespace {

using nlohmann::json;
using testing::AllOf;
using testing::HasSubstr;
using testing::Not;

void expect_schema(const json& document, const std::string& definition) {
  static const auto schema = json::parse(read_file(std::string(ASSAY_SOURCE) + "/docs/history.schema.json"));
  Validator(schema).check(document, definition);
}

/// Twelve commits of a program that is a script: it takes half as long again from the eighth on. The fifth
/// answers wrongly, the sixth does not build.
class Followed : public testing::Test {
 protected:
  static constexpr int commits = 12, slow_from = 8, wrong = 5, broken = 6;

  Followed() {
    for (int i = 1; i <= commits; ++i) {
      const std::string answer = i == wrong ? "say wrong" : "say right";
      repository_.commit("Change " + std::to_string(i), i == broken ? "odd.sh" : "plan.sh",
                         "#!/bin/sh\n# " + std::to_string(i) + "\nexec " BEHAVE " spin " +
                             (i >= slow_from ? "0.009 " : "0.003 ") + answer + "\n");
      if (i == broken) repository_.git({"rm", "--quiet", "plan.sh"});
      if (i == broken) repository_.git({"commit", "--quiet", "--amend", "--message", "Change 6"});
      repository_.git({"tag", "c" + std::to_string(i)});
    }
    scratch_.file("project/assay.toml", R"([plan]
watch = ["cpu time"]
margin = "10 %"
[rounds]
min = 7
max = 12
budget = "10 s"
[build]
steps = [["install", "-m", "755", "plan.sh", "${out}/plan"]]
exe = "${out}/plan"  # run with a mark, which only the candidate says
[history]
reference = "c1"
[[candidate]]
commits = ["c1", "HEAD"]
run = ["${exe}", "${mark}"]
with = { mark = "x" }
[[workload]]
name = "orders"
run = ["${exe}"]
check = { equal = "stdout" }
)");
  }

  Scratch scratch_;
  TestRepository repository_{scratch_, "project"};
};

TEST_F(Followed, LocateFindsTheCommitAndReckonsWithItsPairsAgain) {
  const auto ran = repository_.tool({"locate", "--good", "c1", "--json"});
  ASSERT_EQ(ran.status, 0) << ran.err;
  const auto found = json::parse(ran.out);
  expect_schema(found, "located");
  EXPECT_EQ(found["status"], "found");
  EXPECT_EQ(found["subject"], "Change 8");
  EXPECT_EQ(found["confirmed"], true);
  EXPECT_EQ(found["run"].size(), 1);
  EXPECT_GT(found["effect"], 1.5);
  EXPECT_GT(found["pairs"], 0);
  const auto again = repository_.tool({"locate", "--good", "c1", "--json"});
  ASSERT_EQ(again.status, 0) << again.err;
  EXPECT_EQ(json::parse(again.out)["pairs"], 0) << "all is known";
  EXPECT_EQ(json::parse(again.out)["commit"], found["commit"]);
  EXPECT_THAT(again.err, HasSubstr("that were measured before"));
}

TEST_F(Followed, LocateNamesARunWhereCommitsTellNothing) {
  for (int i = commits + 1; i <= commits + 2; ++i) {
    repository_.commit("Change " + std::to_string(i), "plan.sh",
                       i > commits + 1 ? "#!/bin/sh\nexec " BEHAVE " spin 0.03 say right\n" : "exit 3\n");
  }
  const auto run = repository_.tool({"locate", "--good", "c12"});
  EXPECT_EQ(run.status, 0) << run.err;
  EXPECT_THAT(run.out, AllOf(HasSubstr("one of 2 commits made orders slower"), HasSubstr("Change 13"),
                             HasSubstr("can't be measured"), HasSubstr("Change 14")));
}

TEST_F(Followed, LocateNamesWhatIsWrongWithTheRequest) {
  const auto said = [&](const std::vector<std::string>& words, int status = 2) {
    std::vector<std::string> all = {"locate"};
    all.insert(all.end(), words.begin(), words.end());
    const auto ran = repository_.tool(all);
    EXPECT_EQ(ran.status, status) << ran.out << ran.err;
    return ran.out + ran.err;
  };
  EXPECT_THAT(said({"--good", "HEAD", "--bad", "c1"}), HasSubstr("exchange them"));
  EXPECT_THAT(said({"--good", "c3", "--bad", "c3"}), HasSubstr("are the same commit"));
  EXPECT_THAT(said({"--good", "c3^", "--bad", "c2"}), HasSubstr("are the same commit"));
  EXPECT_THAT(said({"--good", "nosuch"}), HasSubstr("there is no commit \"nosuch\""));
  EXPECT_THAT(said({"--good", "c1", "--bad", "."}), HasSubstr("the working tree is no commit"));
  EXPECT_THAT(said({"--good", "c1", "--sure", "20%"}), HasSubstr("--sure"));
  EXPECT_THAT(said({"--good", "c1", "--bad", "c4"}, 1), HasSubstr("c4 against c1 on orders: cpu time"));
  EXPECT_THAT(said({"--good", "c5"}, 3), AllOf(HasSubstr("can't be compared"), HasSubstr("c5")));
  EXPECT_THAT(said({"--good", "c1", "--show"}, 0),
              AllOf(HasSubstr("11 commits may have done it"), HasSubstr("Change 2"),
                    HasSubstr("standard deviations")));
  repository_.git({"checkout", "--quiet", "-b", "side", "c3"});
  repository_.commit("Aside", "aside.txt", "x");
  EXPECT_THAT(said({"--good", "c7", "--bad", "side"}), HasSubstr("they parted at"));
}

TEST_F(Followed, LocateLooksIntoAMergeThatDidIt) {
  repository_.git({"checkout", "--quiet", "-b", "feature", "c12"});
  repository_.commit("Feature begun", "feature.txt", "begun");
  repository_.commit("Feature slow", "plan.sh", "#!/bin/sh\nexec " BEHAVE " spin 0.03 say right\n");
  repository_.commit("Feature done", "feature.txt", "done");
  repository_.git({"checkout", "--quiet", "main"});
  repository_.commit("Meanwhile", "other.txt", "x");
  repository_.git({"merge", "--quiet", "--no-ff", "--message", "Merge the feature", "feature"});
  const auto within = repository_.tool({"locate", "--good", "c12", "--all", "--json"});
  ASSERT_EQ(within.status, 0) << within.err;
  EXPECT_EQ(json::parse(within.out)["subject"], "Feature slow");
}

TEST_F(Followed, TrendMeasuresWhatIsMissingAndClaimsTheStep) {
  const auto nothing = repository_.tool({"trend", "--show"});
  EXPECT_EQ(nothing.status, 3);
  EXPECT_THAT(nothing.err, HasSubstr("nothing of this history has been measured yet"));
  const auto ran = repository_.tool({"trend", "--json", "--page", "history.html"});
  ASSERT_EQ(ran.status, 0) << ran.err;
  const auto history = json::parse(ran.out);
  expect_schema(history, "history");
  EXPECT_EQ(history["missing"], 0);
  EXPECT_EQ(history["silent"].size(), 2) << "one is wrong, one does not build";
  const auto& line = history["lines"][0];
  EXPECT_EQ(line["metric"], "cpu time");
  EXPECT_EQ(line["points"].size(), 9);
  ASSERT_EQ(line["steps"].size(), 1);
  EXPECT_EQ(line["steps"][0]["status"], "confirmed");
  EXPECT_GT(line["steps"][0]["effect"], 1.5);
  EXPECT_THAT(read_file(repository_.path("history.html")),
              AllOf(HasSubstr("Change 9"), Not(HasSubstr("Lock Keeper"))));
  {
    ledger::Ledger ledger(repository_.path(".assay/ledger.db"));
    const auto kept =
        ledger.history_values(read_file(repository_.path(".git/refs/tags/c1")).substr(0, 40), judge::version);
    EXPECT_EQ(kept.size(), ledger.list().size()) << "nobody has to judge them again";
  }
  const auto shown = repository_.tool({"trend", "--show"});
  EXPECT_EQ(shown.status, 0);
  EXPECT_THAT(shown.out, AllOf(HasSubstr("(Change 8)"), HasSubstr("confirmed by"),
                               HasSubstr("cpu time, change against c1"), HasSubstr("Change 6"),
                               HasSubstr("does not build")));
  const auto gate = repository_.tool({"gate", "--trend", "--junit", "../gate.xml"});
  EXPECT_EQ(gate.status, 1) << gate.err;
  EXPECT_THAT(gate.out, AllOf(HasSubstr("the gate does not pass"), HasSubstr("HEAD, cpu time: ×")));
  EXPECT_THAT(read_file(scratch_.path("gate.xml")), HasSubstr("<failure"));
  EXPECT_EQ(repository_.tool({"gate", "--trend", "--newest", "3"}).status, 0) << "the step is older";
  EXPECT_EQ(repository_.tool({"gate", "--trend", "--newest", "6", "--allow", "900%"}).status, 0);
  // Without trials the history stays what it is.
  const auto of = [&] { return json::parse(repository_.tool({"trend", "--show", "--json"}).out)["lines"]; };
  const auto before = of();
  EXPECT_THAT(repository_.tool({"ledger", "reduce", "--keep", "1"}).out,
              HasSubstr("to what a history needs"));
  EXPECT_EQ(of(), before);
  EXPECT_EQ(repository_.tool({"ledger", "reduce", "--keep", "0"}).status, 0);
  EXPECT_EQ(of(), before);
  EXPECT_THAT(repository_.tool({"verdict"}).err, HasSubstr("were reduced to their values"));
  EXPECT_EQ(json::parse(repository_.tool({"trend", "--json"}).out)["measured_now"], 0);
  // A run of CI adds to the same history.
  repository_.commit("Change 13", "plan.sh", "#!/bin/sh\nexec " BEHAVE " spin 0.009 say right # again\n");
  ASSERT_EQ(repository_.tool({"run", "--candidates", "c1,HEAD"}).status, 0);
  EXPECT_EQ(json::parse(repository_.tool({"trend", "--show", "--json"}).out)["lines"][0]["points"].size(),
            10);
}

TEST_F(Followed, TrendTakesPartsOfTheHistory) {
  const auto ran = repository_.tool({"trend", "--json", "--every", "4", "--since", "c2"});
  ASSERT_EQ(ran.status, 0) << ran.err;
  EXPECT_EQ(json::parse(ran.out)["measured_now"], 3) << "c12, c8 and c4";
  repository_.git({"checkout", "--quiet", "-B", "main", "c8"});
  EXPECT_THAT(repository_.tool({"trend", "--show"}).out, HasSubstr("1 commit with values not on this line"));
  repository_.git({"checkout", "--quiet", "-B", "main", "c12"});
  EXPECT_THAT(repository_.tool({"trend", "--since", "nosuch"}).err, HasSubstr("there is no commit"));
  EXPECT_THAT(repository_.tool({"trend", "--reference", "HEAD"}).err,
              HasSubstr("the reference commit itself"));
  EXPECT_THAT(repository_.tool({"trend", "--reference", "c6"}).err,
              HasSubstr("the reference commit c6 can't be measured"));
}

/// Several machines share the commits of a history among them.
TEST_F(Followed, TrendLeavesCommitsToThoseWhoMeasureThem) {
  auto elsewhere = record_of({{1}, {1}});
  elsewhere.design.kind = CampaignKind::history;
  elsewhere.log.rounds.clear();
  elsewhere.log.trials.clear();
  elsewhere.log.state = CampaignState::open;
  elsewhere.log.sessions[SessionId{0}].boot = boot_id();
  for (const auto& [candidate, tag] : {std::pair(0, "c12"), std::pair(1, "c8")})
    elsewhere.design.candidates[CandidateId{candidate}].from.commit =
        read_file(repository_.path(std::string(".git/refs/tags/") + tag)).substr(0, 40);
  const pid_t other = fork();
  if (other == 0) {
    ledger::Ledger ledger(repository_.path(".assay/ledger.db"));
    ledger.begin(elsewhere);
    pause();
  }
  for (int i = 0; i < 3000 && !std::filesystem::exists(repository_.path(".assay/ledger.db-wal")); ++i)
    usleep(10'000);
  while (ledger::Ledger(repository_.path(".assay/ledger.db")).list().empty()) usleep(10'000);
  const auto ran = repository_.tool({"trend", "--json", "--every", "4", "--since", "c2"});
  kill(other, SIGKILL);
  waitpid(other, nullptr, 0);
  ASSERT_EQ(ran.status, 0) << ran.err;
  EXPECT_EQ(json::parse(ran.out)["measured_now"], 1) << "c4; c12 and c8 are being measured";
  EXPECT_THAT(ran.err, HasSubstr("2 commits are being measured elsewhere"));
  EXPECT_EQ(
      json::parse(repository_.tool({"trend", "--json", "--every", "4", "--since", "c2"}).out)["measured_now"],
      2)
      << "who measured them is gone";
}

}  // namespace
}  // namespace assay::test
