// Several processes that measure one campaign, by the tool, in a ledger of either kind.

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <chrono>
#include <csignal>
#include <filesystem>
#include <map>
#include <thread>

#include "assay/ledger/ledger.hpp"
#include "assay/model/observations.hpp"
#include "support/postgres.hpp"
#include "support/repository.hpp"
#include "support/tool.hpp"

namespace assay::test {
using namespace model;
namespace {

using testing::HasSubstr;

class Join : public EachLedger {
 protected:
  void SetUp() override {
    EachLedger::SetUp();
    if (IsSkipped()) return;
    lay_down(scratch_, 24);
  }

  /// A plan of two programs that take some time, and what they read.
  static void lay_down(const Scratch& scratch, int rounds) {
    const auto program = [&](const std::string& name, const std::string& text) {
      std::filesystem::permissions(scratch.file(name, "#!/bin/sh\n" + text),
                                   std::filesystem::perms::owner_all);
    };
    program("old", "sleep 0.03; cat in.txt");
    program("new", "sleep 0.04; cat in.txt");
    scratch.file("in.txt", "seven locks\n");
    scratch.file(
        "assay.toml",
        "[plan]\ntitle = \"Towpath\"\n[[candidate]]\nname = \"old\"\nexe = \"./old\"\n[[candidate]]\nname = "
        "\"new\"\nexe = \"./new\"\n[[workload]]\nname = \"locks\"\nrun = [\"${exe}\"]\ncheck = { equal = "
        "\"stdout\", match = \"locks\" }\n[rounds]\nmin = " +
            std::to_string(rounds) + "\nmax = " + std::to_string(rounds) + "\n");
  }

  /// The tool with this ledger; each process measures as if it had the machine for itself.
  Started start(const Scratch& scratch, std::vector<std::string> arguments) {
    arguments.insert(arguments.begin(),
                     {"/usr/bin/env", "ASSAY_LEDGER=" + place(),
                      "ASSAY_MACHINE_LOCK=" + scratch_.path() + std::to_string(started_++), ASSAY_TOOL});
    return {scratch, arguments};
  }
  Ran assay_here(std::vector<std::string> arguments) { return start(scratch_, std::move(arguments)).wait(); }

  /// One that began a campaign and one that joined it, both with rounds behind them.
  std::pair<Started, Started> two_runners() {
    auto first = start(scratch_, {"run"});
    await_rounds(0, 3);
    auto second = start(scratch_, {"join", "--name", "two"});
    await_rounds(1, 2);
    return {first, second};
  }

  Record record() const {
    ledger::Ledger ledger(place(), ledger::Ledger::OpenMode::existing);
    return ledger.read(ledger.list({.newest = 1}).at(0).id);
  }
  std::size_t campaigns() const {
    return ledger::Ledger(place(), ledger::Ledger::OpenMode::existing).list().size();
  }

  void await(const std::function<bool()>& condition) const {
    for (int i = 0; i < 3000 && !condition(); ++i) std::this_thread::sleep_for(std::chrono::milliseconds(20));
    ASSERT_TRUE(condition()) << "it did not come to that within a minute";
  }
  /// Until so many rounds of a session are complete.
  void await_rounds(std::int64_t session, std::ptrdiff_t count) const {
    await([&] {
      if (campaigns() == 0) return false;
      const auto log = record().log;
      return std::ranges::count_if(log.rounds, [&](const Round& round) {
               return round.session.value == session && round.state == RoundState::complete;
             }) >= count;
    });
  }
  std::map<std::int64_t, int> judged_by_session() const {
    std::map<std::int64_t, int> all;
    for (const auto& round : record().log.rounds)
      if (round.role == Role::measured && round.state == RoundState::complete) ++all[round.session.value];
    return all;
  }

 private:
  int started_ = 0;
};

/// What the ledgers' own tests show for files too.
class JoinByServer : public Join {};

TEST_P(Join, ARunThatGoesOnIsMeasuredByOthersToo) {
  lay_down(scratch_, 100);
  auto [first, second] = two_runners();
  const auto joined = second.wait(), ran = first.wait();
  EXPECT_EQ(joined.status, 0) << joined.err;
  EXPECT_EQ(ran.status, 0) << ran.err;
  EXPECT_THAT(joined.err, HasSubstr("has ended after 100 rounds"));
  EXPECT_THAT(ran.out, HasSubstr("100 rounds"));
  EXPECT_EQ(campaigns(), 1U);
  const auto by_session = judged_by_session();
  ASSERT_EQ(by_session.size(), 2U);
  EXPECT_EQ(by_session.at(0) + by_session.at(1), 100);
  EXPECT_GE(by_session.at(1), 1) << joined.err;
  EXPECT_EQ(record().log.state, CampaignState::ended);
  EXPECT_EQ(assay_here({"verdict", "last"}).out, ran.out) << "what is shown is what is stored";
  const auto standing = assay_here({"ledger", "last"}).out;
  EXPECT_THAT(standing, HasSubstr("ended"));
  EXPECT_THAT(standing, HasSubstr("100 rounds count"));
  EXPECT_THAT(assay_here({"join", "last"}).err, HasSubstr("has ended"));
}

TEST_P(Join, AKilledOneCostsItsRoundAndMayComeBack) {
  lay_down(scratch_, 100);
  const auto opened = assay_here({"run", "--open"});
  ASSERT_EQ(opened.status, 0) << opened.err;
  const auto id = opened.out.substr(0, 16);
  EXPECT_TRUE(record().log.rounds.empty());
  auto first = start(scratch_, {"join", id}), killed = start(scratch_, {"join", id});
  await_rounds(1, 2);
  await_rounds(2, 2);
  kill(killed.pid(), SIGKILL);
  EXPECT_EQ(killed.wait().status, -SIGKILL);
  auto again = start(scratch_, {"join", id});
  EXPECT_EQ(again.wait().status, 0);
  EXPECT_EQ(first.wait().status, 0);
  const auto log = record().log;
  EXPECT_EQ(log.state, CampaignState::ended);
  EXPECT_EQ(log.sessions.size(), 4U);
  int judged = 0;
  for (const auto& round : log.rounds) {
    EXPECT_NE(round.state, RoundState::open) << round.number;
    judged += round.role == Role::measured && round.state == RoundState::complete ? 1 : 0;
  }
  EXPECT_EQ(judged, 100);
}

TEST_P(Join, AnotherProgramOrAnswerIsRefused) {
  ASSERT_EQ(assay_here({"run", "--open"}).status, 0);
  const Scratch elsewhere;
  lay_down(elsewhere, 24);
  if (!is_database()) {
    const auto foreign = start(elsewhere, {"join"}).wait();
    EXPECT_EQ(foreign.status, 2);
    EXPECT_THAT(foreign.err, HasSubstr("--trust runs them"));
  }
  elsewhere.file("new", "#!/bin/sh\nsleep 0.01; cat in.txt");
  const auto other = start(elsewhere, {"join", "--trust"}).wait();
  EXPECT_EQ(other.status, 2);
  EXPECT_THAT(other.err, HasSubstr("new is another program here than where the campaign was begun"));
  EXPECT_EQ(start(elsewhere, {"join", "--trust", "--unlike"}).wait().status, 2)
      << "it is another one, not another build";

  lay_down(elsewhere, 24);
  elsewhere.file("in.txt", "eight locks\n");
  const auto answers = start(elsewhere, {"join", "--trust"}).wait();
  EXPECT_EQ(answers.status, 3);
  EXPECT_THAT(answers.err, HasSubstr("old on locks answers otherwise here than elsewhere"));
  std::filesystem::remove(elsewhere.path("in.txt"));
  const auto fails = start(elsewhere, {"join", "--trust"}).wait();
  EXPECT_EQ(fails.status, 3);
  EXPECT_THAT(fails.err, HasSubstr("does not do here what it does elsewhere"));

  lay_down(elsewhere, 24);
  EXPECT_THAT(start(elsewhere, {"join", "--show"}).wait().out, HasSubstr("2 cells, 1 comparison with old"));
  EXPECT_EQ(start(elsewhere, {"join", "--trust"}).wait().status, 0) << "the same files in another folder";
  for (const auto& [cell, status] : record().log.status_changes) ADD_FAILURE() << status.detail;
}

/// Debug information names the folder of a build.
TEST_P(JoinByServer, TheSameProgramBuiltElsewhereWithDebugInformation) {
  TestRepository project(scratch_, "towpath");
  project.commit("Go by water", "boat.c",
                 "#include <stdio.h>\nint main(void) { return puts(\"seven locks\") < 0; }\n");
  project.git({"tag", "c1"});
  project.commit("Compare", "assay.toml", R"(
[build]
steps = [["cc", "-g", "-O1", "-o", "${out}/boat", "boat.c"]]
exe = "${out}/boat"
[[candidate]]
commits = ["c1", "HEAD"]
[[workload]]
name = "locks"
run = ["${exe}"]
[rounds]
min = 8
max = 8
)");
  const Scratch elsewhere;
  ASSERT_EQ(
      run(elsewhere, {"/usr/bin/git", "clone", "--quiet", project.path(), elsewhere.path("a clone")}).status,
      0);
  const auto in = [&](const Scratch& scratch, const std::string& folder, const std::string& words) {
    return run(scratch, {"/usr/bin/env", "-C", scratch.path(folder), "ASSAY_LEDGER=" + place(), "/bin/sh",
                         "-c", ASSAY_TOOL " " + words});
  };
  const auto opened = in(scratch_, "towpath", "run --open");
  ASSERT_EQ(opened.status, 0) << opened.err;
  const auto joined = in(elsewhere, "a clone", "join");
  EXPECT_EQ(joined.status, 0) << joined.err;
  const auto all = record();
  EXPECT_EQ(all.log.state, CampaignState::ended);
  const auto& candidates = all.design.candidates;
  EXPECT_NE(candidates[CandidateId{0}].from.loaded_digest, "");
  EXPECT_EQ(candidates[CandidateId{0}].from.loaded_digest, candidates[CandidateId{1}].from.loaded_digest);
}

TEST_P(JoinByServer, ATimeThatIsUpLeavesTheRestToOthers) {
  lay_down(scratch_, 400);
  ASSERT_EQ(assay_here({"run", "--open"}).status, 0);
  const auto joined = assay_here({"join", "--for", "2s"});
  EXPECT_EQ(joined.status, 0) << joined.err;
  EXPECT_THAT(joined.err, HasSubstr("the time is up"));
  auto log = record().log;
  EXPECT_EQ(log.state, CampaignState::interrupted);
  EXPECT_EQ(std::ranges::count(log.rounds, RoundState::open, &Round::state), 0);
  EXPECT_EQ(std::ranges::count(log.rounds, RoundState::aborted, &Round::state), 0) << "rounds are finished";
  const auto id = short_uid(record().design.uid);
  EXPECT_THAT(assay_here({"ledger", "close", id}).out, HasSubstr(id + " has ended"));
  EXPECT_EQ(record().log.state, CampaignState::ended);
  EXPECT_EQ(assay_here({"verdict", id}).status, 0);
}

TEST_P(JoinByServer, ClosingEndsItForAllAndAGateWaitsForThat) {
  lay_down(scratch_, 400);
  auto [first, second] = two_runners();
  const auto id = short_uid(record().design.uid);
  auto gate = start(scratch_, {"gate", id, "--wait", "2min", "--allow", "900%"});
  EXPECT_THAT(assay_here({"gate", id, "--wait", "0.1s"}).err, HasSubstr("has not ended within 0.1s"));
  EXPECT_THAT(assay_here({"ledger", id}).out, HasSubstr("is measured"));
  EXPECT_THAT(assay_here({"ledger", "close", id}).out, HasSubstr("it ends with those under way"));
  EXPECT_EQ(second.wait().status, 0);
  const auto ran = first.wait();
  EXPECT_EQ(ran.status, 0) << ran.err;
  const auto passed = gate.wait();
  EXPECT_EQ(passed.status, 0) << passed.err << passed.out;
  EXPECT_EQ(record().log.state, CampaignState::ended);
  EXPECT_LT(record().log.rounds.size(), 400U);
}

TEST_P(JoinByServer, InterruptedByAllItIsGoneOnWith) {
  lay_down(scratch_, 900);
  auto [first, second] = two_runners();
  EXPECT_THAT(assay_here({"run", "--resume"}).err, HasSubstr("is being measured by process"));
  kill(first.pid(), SIGINT);
  EXPECT_EQ(first.wait().status, 130);
  EXPECT_EQ(record().log.state, CampaignState::open) << "the other one goes on";
  kill(second.pid(), SIGINT);
  EXPECT_EQ(second.wait().status, 130);
  EXPECT_EQ(record().log.state, CampaignState::interrupted);
  auto resumed = start(scratch_, {"run", "--resume"});
  await_rounds(2, 2);
  EXPECT_THAT(assay_here({"ledger", "close", "last"}).out, HasSubstr("it ends"));
  EXPECT_EQ(resumed.wait().status, 0);
  EXPECT_EQ(record().log.state, CampaignState::ended);
  EXPECT_EQ(campaigns(), 1U);
  EXPECT_EQ(judged_by_session().size(), 3U);
}

TEST_P(JoinByServer, WithoutACampaignItSaysSo) {
  EXPECT_THAT(assay_here({"join"}).err, HasSubstr("no campaign goes on"));
  ASSERT_EQ(assay_here({"run", "--open"}).status, 0);
  ASSERT_EQ(assay_here({"run", "--open"}).status, 0);
  const auto two = assay_here({"join"});
  EXPECT_EQ(two.status, 2);
  EXPECT_THAT(two.err, HasSubstr("several campaigns go on"));
}

/// The demo's script, with programs that take less time than its own.
TEST_P(JoinByServer, TheDemoOfATeam) {
  lay_down(scratch_, 40);
  std::filesystem::rename(scratch_.path("assay.toml"), scratch_.path("team.toml"));
  const auto ran = run(scratch_, {"/usr/bin/env", std::string("ASSAY=") + ASSAY_TOOL, "bash",
                                  std::string(ASSAY_SOURCE) + "/demo/team.sh"});
  EXPECT_EQ(ran.status, 0) << ran.err << ran.out;
  EXPECT_THAT(ran.out, HasSubstr("$ id=$(assay run --open team.toml)"));
  EXPECT_THAT(ran.out, HasSubstr("has ended after 40 rounds"));
  EXPECT_THAT(ran.out, HasSubstr("copied 1 campaign"));
  EXPECT_EQ(read_file(scratch_.path("here.txt")), read_file(scratch_.path("there.txt")));
}

INSTANTIATE_TEST_SUITE_P(Ledgers, JoinByServer, testing::Values("PostgreSQL"),
                         [](const auto& which) { return std::string(which.param); });
INSTANTIATE_TEST_SUITE_P(Ledgers, Join, testing::Values("SQLite", "PostgreSQL"),
                         [](const auto& which) { return std::string(which.param); });

}  // namespace
}  // namespace assay::test
