// Functions and machines that don't do as they are told.

#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <atomic>
#include <stdexcept>
#include <thread>

#include "assay/contest/contest.hpp"
#include "assay/ledger/ledger.hpp"
#include "assay/model/error.hpp"
#include "assay/report/advice.hpp"
#include "support/observing.hpp"
#include "support/plans.hpp"
#include "support/tool.hpp"

namespace assay::contest {
namespace {

using testing::HasSubstr;

unsigned work() {
  volatile unsigned sum = 0;
  for (unsigned i = 0; i < 200; ++i) sum = sum + i;
  return 7;
}

/// A quick contest without twins.
Contest brief(const std::string& title) {
  Contest contest(title);
  contest.options().twin = false;
  contest.options().rounds_min = contest.options().rounds_max = 7;
  contest.options().budget = 0.02;
  return contest;
}

TEST(Faults, AFunctionThatThrowsWhileItIsTimedLeavesTheOthersGoing) {
  auto contest = brief("throws");
  std::atomic<int> calls = 0;
  contest.baseline("steady", work);
  contest.candidate("fuse", [&calls] {
    if (++calls > 500) throw std::runtime_error("the sluice jammed");
    return work();
  });
  contest.candidate("as steady", work);
  const auto findings = contest.run().findings();
  EXPECT_TRUE(findings.statuses[CellId{0}].is_ok());
  EXPECT_EQ(findings.statuses[CellId{1}].code, StatusCode::failed);
  EXPECT_THAT(findings.statuses[CellId{1}].detail, HasSubstr("the sluice jammed"));
  EXPECT_TRUE(findings.statuses[CellId{2}].is_ok());
  EXPECT_GE(test::finding_on(findings, "time per call").rounds, 1U);
}

TEST(Faults, ABaselineThatThrowsMakesNobodyElseWrong) {
  auto contest = brief("no answer to compare with");
  contest.baseline("jammed", []() -> unsigned { throw std::runtime_error("the sluice jammed"); });
  contest.candidate("steady", work);
  const auto findings = contest.run().findings();
  EXPECT_EQ(findings.statuses[CellId{0}].code, StatusCode::failed);
  EXPECT_TRUE(findings.statuses[CellId{1}].is_ok()) << findings.statuses[CellId{1}].detail;
  EXPECT_TRUE(findings.findings.empty());
}

TEST(Faults, AnInputThatCannotBeMadeIsReportedOfWhatNeedsIt) {
  auto contest = brief("no input");
  contest.factor("locks", {1, 2});
  contest.input([](const Setting& setting) {
    if (setting.integer("locks") == 2) throw std::runtime_error("no water");
    return 7U;
  });
  contest.baseline("a", [](unsigned n) { return n + work(); }).candidate("b", [](unsigned n) {
    return n + work();
  });
  const auto findings = contest.run().findings();
  for (const auto id : findings.design.cells.ids()) {
    const bool dry = findings.design.cells[id].setting.integer("locks") == 2;
    EXPECT_EQ(findings.statuses[id].code, dry ? StatusCode::failed : StatusCode::ok);
    EXPECT_EQ(findings.statuses[id].detail, dry ? "it threw: no water" : "");
  }
}

TEST(Faults, AFunctionThatThrowsInAThreadDoesSoToo) {
  auto contest = brief("throws in threads");
  contest.threads({2});
  contest.baseline("steady", work);
  contest.candidate("fuse", [here = std::this_thread::get_id()] {
    if (std::this_thread::get_id() != here) throw std::runtime_error("the sluice jammed");
    return work();
  });
  const auto findings = contest.run().findings();
  EXPECT_TRUE(findings.statuses[CellId{0}].is_ok());
  EXPECT_EQ(findings.statuses[CellId{1}].code, StatusCode::failed);
  EXPECT_THAT(findings.statuses[CellId{1}].detail, HasSubstr("the sluice jammed"));
}

TEST(Faults, ThreadsThatCannotBeMadeAreReportedAndNothingWaitsForThem) {
  const pid_t child = fork();
  if (child == 0) {
    alarm(60);  // ends it where the threads that were made wait for the others
    const rlimit few = {1, 1};
    if (setrlimit(RLIMIT_NPROC, &few) != 0 || (getuid() == 0 && setuid(65534) != 0)) _exit(77);
    auto contest = brief("no threads");
    contest.threads({4}).baseline("a", work).candidate("b", work);
    try {
      const auto findings = contest.run().findings();
      _exit(findings.statuses[CellId{0}].is_ok() ? 1 : 0);
    } catch (const Error&) {
      _exit(0);
    }
  }
  int status = 0;
  waitpid(child, &status, 0);
  ASSERT_TRUE(WIFEXITED(status)) << "it hung";
  if (WEXITSTATUS(status) == 77) GTEST_SKIP() << "threads can't be limited here";
  EXPECT_EQ(WEXITSTATUS(status), 0);
}

TEST(Faults, AContestNamesTheCommandThatMeasuresMore) {
  auto contest = brief("settle");
  contest.options().rounds_min = contest.options().rounds_max = 20;
  contest.options().budget = 4;
  contest.options().run.repeat_command = "./prog --margin 0.1%";
  contest.baseline("a", work).candidate("b", work);
  auto findings = contest.run().findings();
  auto unclear = test::finding_on(findings, "time per call");
  unclear.verdict = Verdict::unclear;
  unclear.rounds_to_decide = RoundsToDecide{.rounds = 120, .seconds = 24};
  EXPECT_THAT(report::rounds_needed_text(findings, unclear),
              HasSubstr("./prog --margin 0.1% --rounds 8..120 --budget 24s"));
}

TEST(Faults, AContestThatWasCutOffGoesOn) {
  const test::Scratch scratch;
  auto contest = brief("cut off");
  contest.options().rounds_min = contest.options().rounds_max = 9;
  contest.options().run.ledger = scratch.path("ledger.db");
  contest.baseline("a", work).candidate("b", work);
  auto options = contest.options();
  std::stop_source source;
  options.run.stop = source.get_token();
  test::Observing observer;
  observer.when_progress = [&](const engine::Progress& p) {
    if (p.done == 3 && p.phase == engine::Progress::Phase::measuring) source.request_stop();
  };
  options.run.observer = &observer;
  EXPECT_TRUE(contest.run(options).findings().provisional);
  options = contest.options();
  options.run.resume = true;
  const auto findings = contest.run(options).findings();
  EXPECT_FALSE(findings.provisional);
  EXPECT_EQ(findings.rounds, 9U);
  EXPECT_EQ(ledger::Ledger(scratch.path("ledger.db")).list().size(), 1U);
}

}  // namespace
}  // namespace assay::contest
