#include "assay/setup/run_plan.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "assay/ledger/ledger.hpp"
#include "assay/model/error.hpp"
#include "support/observing.hpp"
#include "support/plans.hpp"
#include "support/records.hpp"
#include "support/tool.hpp"

namespace assay::setup {
namespace {

using test::finding_on;
using test::plan_of;
using test::Scratch;
using testing::HasSubstr;

TEST(CarryOut, ComparesRealProcessesOnEveryMetric) {
  const auto findings = run_plan(plan_of({{"touch", "4"}, {"touch", "64"}}));
  EXPECT_EQ(findings.rounds, 6U);
  const auto& memory = finding_on(findings, "peak memory");
  EXPECT_EQ(memory.verdict, Verdict::worse);
  EXPECT_GT(memory.effect.value, 5);
  EXPECT_EQ(finding_on(findings, "wall time").rounds, 6U);
}

TEST(RunPlan, ComparesTheProgramThatAShellStarts) {
  auto plan = plan_of({{}, {}});
  for (auto& candidate : plan.candidates) candidate.run.clear();
  plan.candidates[0].exe = "/bin/true";
  plan.candidates[1].exe = BEHAVE;
  plan.workloads[0].run = {"/bin/sh", "-c", "exec ${exe}"};
  const auto findings = run_plan(plan);
  EXPECT_NE(findings.design.candidates[CandidateId{0}].from.exe_digest,
            findings.design.candidates[CandidateId{1}].from.exe_digest);
  EXPECT_NE(finding_on(findings, "program size").effect.value, 1);
  EXPECT_EQ(std::ranges::count(findings.notes, NoteKind::same_program, &Note::kind), 0);
}

TEST(CarryOut, AWrongAnswerIsLeftOutWithItsReasonAndTheOthersGoOn) {
  const auto findings = run_plan(plan_of({{"say", "total 17"}, {"say", "total 18"}, {"say", "total 17"}},
                                         {.equal = "stdout", .match = "^total"}));
  EXPECT_EQ(findings.statuses[CellId{1}].code, StatusCode::wrong);
  EXPECT_THAT(findings.statuses[CellId{1}].detail, HasSubstr("line 1: \"total 18\", expected \"total 17\""));
  EXPECT_EQ(findings.statuses[CellId{2}].code, StatusCode::ok);
  EXPECT_EQ(finding_on(findings, "wall time").comparison.candidate, CellId{2});
}

TEST(CarryOut, AFailureShowsTheEndOfItsStderr) {
  const auto findings =
      run_plan(plan_of({{"say", "x"}, {"complain", "no such lock", "exit", "4"}, {"signal", "6"}}));
  EXPECT_EQ(findings.statuses[CellId{1}].code, StatusCode::failed);
  EXPECT_THAT(findings.statuses[CellId{1}].detail, HasSubstr("exit status 4\nno such lock"));
  EXPECT_THAT(findings.statuses[CellId{2}].detail, HasSubstr("ended by signal 6"));
  EXPECT_TRUE(findings.findings.empty());
}

TEST(CarryOut, ExitStatusesOfSuccessCanBeNamedAnd77MeansAbsent) {
  auto plan = plan_of({{"exit", "3"}, {"exit", "3"}, {"exit", "77"}}, {.exit_ok = {0, 3}});
  const auto findings = run_plan(plan);
  EXPECT_EQ(findings.statuses[CellId{1}].code, StatusCode::ok);
  EXPECT_EQ(findings.statuses[CellId{2}].code, StatusCode::unsupported);
}

TEST(CarryOut, WithoutEqualDifferingOutputsAreANote) {
  const auto findings = run_plan(plan_of({{"say", "a"}, {"say", "b"}}));
  EXPECT_EQ(findings.statuses[CellId{1}].code, StatusCode::ok);
  ASSERT_FALSE(findings.notes.empty());
  EXPECT_THAT(test::notes_of(findings)[0], HasSubstr("line 1: \"b\", expected \"a\""));
}

TEST(CarryOut, AnAnswerThatChangesInMidCampaignIsCaught) {
  const Scratch scratch;
  const auto findings =
      run_plan(plan_of({{"say", "run 1"}, {"count-runs", scratch.path("runs")}}, {.equal = "stdout"}));
  EXPECT_EQ(findings.statuses[CellId{1}].code, StatusCode::wrong);
  EXPECT_THAT(
      findings.statuses[CellId{1}].detail,
      HasSubstr("its answer changed in round 1: its output is not the baseline's: line 1: \"run 2\""));
}

TEST(CarryOut, AProgramThatWearsOutIsLeftOut) {
  const Scratch scratch;
  const auto findings = run_plan(plan_of({{"say", "x"}, {"fail-from", scratch.path("runs"), "4"}}));
  EXPECT_EQ(findings.statuses[CellId{1}].code, StatusCode::failed);
  EXPECT_THAT(findings.statuses[CellId{1}].detail, HasSubstr("worn out"));
}

TEST(CarryOut, ATrialOverItsTimeLimitFails) {
  auto plan = plan_of({{"say", "x"}, {"sleep", "60"}});
  plan.workloads[0].timeout = 0.2;
  const auto findings = run_plan(plan);
  EXPECT_THAT(findings.statuses[CellId{1}].detail, HasSubstr("longer than its time limit of 0.2 s"));
}

TEST(CarryOut, KeepsEveryTrialInTheLedger) {
  const Scratch scratch;
  const auto findings = run_plan(plan_of({{"say", "x"}, {"say", "x"}}), {.ledger = scratch.path("l.db")});
  ledger::Ledger ledger(scratch.path("l.db"), ledger::Ledger::OpenMode::existing);
  const auto all = ledger.list();
  ASSERT_EQ(all.size(), 1U);
  EXPECT_EQ(all[0].uid, findings.design.uid);
  EXPECT_EQ(all[0].rounds, 6);
  const auto record = ledger.read(all[0].id);
  EXPECT_EQ(std::ranges::count_if(record.log.trials, [](const Trial& t) { return t.role != Role::build; }),
            2 + 2 * 7);
  EXPECT_EQ(all[0].state, CampaignState::ended);
}

TEST(CarryOut, TellsWhatIsMissingBeforeAnythingRuns) {
  auto plan = plan_of({{"say", "x"}, {"say", "x"}});
  plan.candidates[1].run = {"./no-such-program"};
  bool begun = false;
  test::Observing observing;
  observing.when_started = [&](const Design&) { begun = true; };
  const RunOptions options{.observer = &observing};
  EXPECT_THROW(run_plan(plan, options), Error);
  plan = plan_of({{"cat"}, {"cat"}});
  plan.workloads[0].stdin_file = "/nowhere.txt";
  EXPECT_THROW(run_plan(plan, options), Error);
  plan = plan_of({{"say", "x"}});
  EXPECT_THROW(run_plan(plan, options), Error);
  EXPECT_FALSE(begun);
}

TEST(CarryOut, AStopRequestGivesProvisionalFindings) {
  std::stop_source source;
  test::Observing observing;
  observing.when_progress = [&](const engine::Progress& p) {
    if (p.done == 6) source.request_stop();
  };
  const RunOptions options{.observer = &observing, .stop = source.get_token()};
  auto plan = plan_of({{"say", "x"}, {"say", "x"}});
  plan.rounds = {.min = 50, .max = 50};
  const auto findings = run_plan(plan, options);
  EXPECT_TRUE(findings.provisional);
  EXPECT_EQ(findings.state, CampaignState::interrupted);
  EXPECT_GE(findings.rounds, 6U);
  EXPECT_LE(findings.rounds, 7U) << "where both ran at once, and ended before they were stopped";
}

/// The launcher is every trial's parent.
TEST(RunPlan, ATrialThatKillsItsLauncherHasFailedAndTheOthersGoOn) {
  auto plan = plan_of({{"say", "x"}, {"say", "x"}, {"say", "x"}});
  plan.candidates[1].run = {"/bin/sh", "-c", "echo x; kill -9 $PPID; sleep 5"};
  const auto findings = run_plan(plan);
  EXPECT_EQ(findings.statuses[CellId{1}].code, StatusCode::failed);
  EXPECT_THAT(findings.statuses[CellId{1}].detail, HasSubstr("launcher"));
  EXPECT_EQ(findings.statuses[CellId{2}].code, StatusCode::ok) << findings.statuses[CellId{2}].detail;
  EXPECT_EQ(findings.rounds, 6U);
}

}  // namespace
}  // namespace assay::setup
