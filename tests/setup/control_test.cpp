#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <chrono>
#include <filesystem>
#include <fstream>
#include <map>
#include <set>
#include <sstream>
#include <thread>

#include "assay/ledger/ledger.hpp"
#include "assay/measure/machine.hpp"
#include "assay/model/error.hpp"
#include "assay/setup/run_plan.hpp"
#include "support/observing.hpp"
#include "support/plans.hpp"
#include "support/records.hpp"
#include "support/tool.hpp"

namespace assay::setup {
namespace {

using test::plan_of;
using test::Scratch;
using testing::HasSubstr;

/// Everything a campaign laid down.
Record record_of(const Plan& plan) {
  const Scratch scratch;
  run_plan(plan, {.ledger = scratch.path("l.db")});
  ledger::Ledger ledger(scratch.path("l.db"));
  return ledger.read(ledger.list().at(0).id);
}

std::size_t lines_in(const std::string& file) {
  const auto text = test::read_file(file);
  return static_cast<std::size_t>(std::ranges::count(text, '\n'));
}

TEST(Control, StepsRunBeforeAndAfterEachTrialUntimed) {
  const Scratch scratch;
  auto plan = plan_of({{"say", "x"}, {"say", "x"}});
  auto& control = plan.workloads[0].control;
  control.before.run = {"sh", "-c", "sleep 0.02; echo ${candidate} >> " + scratch.path("before")};
  control.after.run = {"sh", "-c", "echo x >> " + scratch.path("after")};
  const auto record = record_of(plan);
  EXPECT_EQ(lines_in(scratch.path("before")), 2 + 2 * 7U);
  EXPECT_EQ(lines_in(scratch.path("after")), 2 + 2 * 7U);
  EXPECT_THAT(test::read_file(scratch.path("before")), HasSubstr("c1"));
}

TEST(Control, AFailingStepFailsTheTrialWithItsLastWords) {
  auto plan = plan_of({{"say", "x"}, {"say", "x"}});
  plan.workloads[0].control.before.run = {"sh", "-c",
                                          "if [ ${candidate} = c1 ]; then echo no lock >&2; exit 3; fi"};
  auto findings = run_plan(plan);
  EXPECT_EQ(findings.statuses[CellId{0}].code, StatusCode::ok);
  EXPECT_THAT(findings.statuses[CellId{1}].detail,
              HasSubstr("its step before ended with exit status 3\nno lock"));
  plan.workloads[0].control = {.after = {.run = {"sleep", "60"}, .timeout = 0.1}};
  findings = run_plan(plan);
  EXPECT_THAT(findings.statuses[CellId{0}].detail,
              HasSubstr("its step after took longer than its time limit"));
  plan.workloads[0].control = {.before = {.run = {"./no-such-step"}}};
  EXPECT_THROW(run_plan(plan), Error) << "found out before anything runs";
}

TEST(Control, APortIsOneForATrialAndItsStepsAndAnotherForTheNext) {
  const Scratch scratch;
  auto plan = plan_of({{"make", scratch.path("mine"), "${port}", "say", "$${port}"}, {"say", "$${port}"}});
  auto& control = plan.workloads[0].control;
  control.environment = {"PATH", "PORT=${port}"};
  control.before.run = {"sh", "-c", "echo $PORT > " + scratch.path("mine")};
  control.after.run = {
      "sh", "-c",
      "test $(cat " + scratch.path("mine") + ") = ${port} && echo ${port} >> " + scratch.path("ports")};
  const auto record = record_of(plan);
  for (const auto& trial : record.log.trials) EXPECT_EQ(trial.outcome, Outcome::ok) << trial.detail;
  std::istringstream ports(test::read_file(scratch.path("ports")));
  std::set<int> different;
  for (int port; ports >> port;) {
    EXPECT_GT(port, 1023);
    different.insert(port);
  }
  EXPECT_GT(different.size(), 1U);
}

TEST(Control, AFreshFolderIsEmptyAndGoneAfterwards) {
  const Scratch scratch;
  auto plan = plan_of({{"pwd", "make", "left", "x"}, {"pwd", "remove-here"}});
  auto& control = plan.workloads[0].control;
  control.fresh = true;
  control.before.run = {"sh", "-c",
                        "ls -A | wc -l >> " + scratch.path("entries") + "; pwd >> " + scratch.path("where")};
  const auto record = record_of(plan);
  for (const auto& trial : record.log.trials) EXPECT_EQ(trial.outcome, Outcome::ok) << trial.detail;
  EXPECT_EQ(test::read_file(scratch.path("entries")).find_first_not_of("0\n"), std::string::npos);
  std::ifstream where(scratch.path("where"));
  for (std::string folder; std::getline(where, folder);)
    EXPECT_FALSE(std::filesystem::exists(folder)) << folder;
}

TEST(Control, TheMemoryLimitIsNamedWhereItEndsAProgram) {
  auto plan = plan_of({{"say", "x"}, {"devour"}});
  plan.workloads[0].control.memory_limit = 64U << 20U;
  const auto record = record_of(plan);
  EXPECT_EQ(test::state_of(record, CellId{1}).code, StatusCode::failed);
  EXPECT_THAT(test::state_of(record, CellId{1}).detail, HasSubstr("memory was limited to 64 MiB"));
  EXPECT_THAT(test::state_of(record, CellId{1}).detail, HasSubstr("no memory left"));
}

TEST(Control, DiscardedOutputIsStillCheckedOnce) {
  auto plan = plan_of({{"say", "total 17"}, {"say", "total 18"}, {"say", "total 17"}}, {.equal = "stdout"});
  plan.workloads[0].control.keep_output = false;
  const auto record = record_of(plan);
  EXPECT_EQ(test::state_of(record, CellId{1}).code, StatusCode::wrong);
  EXPECT_EQ(test::state_of(record, CellId{2}).code, StatusCode::ok);
  for (const auto& trial : record.log.trials)
    EXPECT_TRUE(trial.role != Role::measured || trial.output_bytes == 0);
}

TEST(Control, ThroughputComesFromDeclaredWork) {
  auto plan = plan_of({{"sleep", "0.02"}, {"sleep", "0.06"}});
  plan.workloads[0].work = {.amount = "${amount}", .unit = "routes"};
  plan.factors = {{.name = "amount", .levels = {std::int64_t{500}}}};
  plan.watch = {"throughput"};
  const auto findings = run_plan(plan);
  const auto& f = test::finding_on(findings, "throughput");
  EXPECT_EQ(f.verdict, Verdict::worse);
  EXPECT_EQ(findings.metric_of(f).unit, "routes/s");
  EXPECT_LT(f.baseline_typical, 500 / 0.02);
  plan.workloads[0].work.amount = "0";
  EXPECT_THROW(run_plan(plan), Error);
}

TEST(Control, ConditionsAreKeptWithEachTrial) {
  const auto record = record_of(plan_of({{"say", "x"}, {"say", "x"}}));
  std::map<std::string, int> readings;
  for (const auto& trial : record.log.trials)
    if (trial.role == Role::measured)
      for (const auto& reading : trial.readings) ++readings[record.design.metrics[reading.metric].name];
  for (const auto* name :
       {"load", "stolen time", "time of others", "wall time", "minor faults", "bytes read"})
    EXPECT_EQ(readings[name], 12) << name;
}

TEST(Control, ProgramSizesAreComparedDirectly) {
  const Scratch scratch;
  const auto program = test::read_file(BEHAVE);
  auto plan = plan_of({{"say", "x"}, {"say", "x"}});
  plan.candidates[1].run[0] = scratch.file("larger", program + std::string(1000, 'x'));
  std::filesystem::permissions(scratch.path("larger"), std::filesystem::perms::all);
  plan.watch = {"program size", "text size"};
  const auto findings = run_plan(plan);
  const auto& f = test::finding_on(findings, "program size");
  EXPECT_EQ(f.method, TestMethod::compared_directly);
  EXPECT_EQ(f.verdict, Verdict::worse);
  EXPECT_EQ(f.candidate_typical - f.baseline_typical, 1000);
  EXPECT_EQ(test::finding_on(findings, "text size").verdict, Verdict::same);
  EXPECT_EQ(findings.rounds, 1U) << "nothing that is watched needs more";
}

TEST(Abreast, CandidatesRunTogetherAndSomeRoundsInTurns) {
  const Scratch scratch;
  auto plan = plan_of({{"spin", "0.01"}, {"spin", "0.02"}});
  plan.rounds = {.min = 8, .max = 8, .mode = Way::abreast};
  const auto record = record_of(plan);
  int judged = 0, control = 0;
  for (const auto& trial : record.log.trials) {
    judged += trial.role == Role::measured ? 1 : 0;
    control += trial.role == Role::control ? 1 : 0;
    EXPECT_EQ(trial.batch, trial.role == Role::measured || trial.role == Role::warm_up ? 1 : 0);
  }
  EXPECT_EQ(judged, 16);
  EXPECT_EQ(control, 6) << "rounds 4, 7 and 10";
  EXPECT_EQ(record.log.rounds.size(), 12U);
  EXPECT_EQ(record.design.rules.way, Way::abreast);
}

TEST(Abreast, ComparesCpuTimeAndRefusesWallTime) {
  auto plan = plan_of({{"spin", "0.01"}, {"spin", "0.05"}});
  plan.rounds = {.min = 6, .max = 6, .mode = Way::abreast};
  const auto findings = run_plan(plan);
  EXPECT_EQ(findings.rounds, 6U);
  const auto& f = test::finding_on(findings, "cpu time");
  EXPECT_EQ(f.verdict, Verdict::worse);
  EXPECT_GT(f.effect.value, 2);
  for (const auto& finding : findings.findings) EXPECT_NE(findings.metric_of(finding).name, "wall time");
  plan.watch = {"wall time"};
  EXPECT_THROW(run_plan(plan), Error);
}

TEST(Abreast, AProgramThatCannotStartVoidsTheTrialsBesideIt) {
  const Scratch scratch;
  auto plan = plan_of({{"say", "x"}, {"say", "x"}});
  plan.rounds = {.min = 6, .max = 6, .mode = Way::abreast};
  plan.workloads[0].control.before.run = {"sh", "-c",
                                          "echo x >> ${folder}/n-${candidate}; test ${candidate} = c0 || "
                                          "test $(wc -l < ${folder}/n-${candidate}) -lt 4"};
  plan.folder = scratch.path();
  const auto record = record_of(plan);
  EXPECT_EQ(test::state_of(record, CellId{0}).code, StatusCode::ok)
      << test::state_of(record, CellId{0}).detail;
  EXPECT_EQ(test::state_of(record, CellId{1}).code, StatusCode::failed);
  EXPECT_GT(std::ranges::count(record.log.trials, Outcome::discarded, &Trial::outcome), 0);
}

TEST(WhenBusy, GoesOnBesideAnotherCampaignAndNotesIt) {
  const Scratch scratch;
  measure::MachineLock other(scratch.path());
  ASSERT_TRUE(other.try_lock());
  int told = 0;
  test::Observing observing;
  observing.when_busy = [&](engine::WhenBusy what) { told += what == engine::WhenBusy::proceed ? 1 : 0; };
  const RunOptions options{.machine_lock = scratch.path(), .observer = &observing};
  const auto findings = run_plan(plan_of({{"say", "x"}, {"say", "x"}}), options);
  EXPECT_EQ(told, 1);
  EXPECT_EQ(std::ranges::count(findings.notes, NoteKind::concurrent_campaign, &Note::kind), 1);
}

TEST(WhenBusy, WaitsUntilItsTurnOrAStopRequest) {
  const Scratch scratch;
  auto other = std::make_unique<measure::MachineLock>(scratch.path());
  ASSERT_TRUE(other->try_lock());
  std::stop_source source;
  test::Observing observing;
  observing.when_busy = [&](engine::WhenBusy) { source.request_stop(); };
  RunOptions options{.when_busy = engine::WhenBusy::wait,
                     .machine_lock = scratch.path(),
                     .observer = &observing,
                     .stop = source.get_token()};
  auto findings = run_plan(plan_of({{"say", "x"}, {"say", "x"}}), options);
  EXPECT_EQ(findings.state, CampaignState::interrupted);
  std::jthread helper;
  observing.when_busy = [&](engine::WhenBusy) { helper = std::jthread([&] { other.reset(); }); };
  options.stop = {};
  findings = run_plan(plan_of({{"say", "x"}, {"say", "x"}}), options);
  EXPECT_EQ(findings.state, CampaignState::ended);
}

}  // namespace
}  // namespace assay::setup
