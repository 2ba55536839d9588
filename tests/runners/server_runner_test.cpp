// Campaigns whose candidates are servers.

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "assay/ledger/ledger.hpp"
#include "assay/measure/process.hpp"
#include "assay/runners/server_metrics.hpp"
#include "assay/setup/run_plan.hpp"
#include "support/observing.hpp"
#include "support/plans.hpp"
#include "support/tool.hpp"

namespace assay::setup {
namespace {

using test::finding_on;
using test::Scratch;
using testing::HasSubstr;

/// Servers that are told these words, the first the baseline; six rounds of 300 requests by two clients.
Plan servers_of(const std::vector<std::vector<std::string>>& modes,
                const OutputCheck& check = {.equal = "replies"}) {
  Plan plan{.rounds = {.min = 6, .max = 6, .mode = Way::turns}, .seed = 3};
  for (std::size_t i = 0; i < modes.size(); ++i) {
    PlannedCandidate candidate{.name = "c" + std::to_string(i), .exe = SERVE};
    candidate.with["mode"] = modes[i][0];
    candidate.with["number"] = modes[i].size() > 1 ? modes[i][1] : std::string("0");
    plan.candidates.push_back(std::move(candidate));
  }
  PlannedWorkload workload{.name = "locks", .check = check};
  workload.service =
      PlannedService{.start = {"${exe}", "${port}", "${mode}", "${number}"}, .stop = {.grace = 0.3}};
  workload.service->ready.timeout = 2;
  workload.requests = PlannedRequests{.path = "/locks", .clients = "2", .count = 300, .warmup = 20};
  plan.workloads.push_back(std::move(workload));
  return plan;
}

/// More than six rounds only where the machine is busy.
Plan until_decided(Plan plan) {
  plan.rounds.max = 40;
  return plan;
}

TEST(ServerRunner, AServerThatDoesMoreForEachRequestIsFound) {
  const Scratch scratch;
  const auto findings = run_plan(until_decided(servers_of({{"work", "20000"}, {"work", "200000"}})),
                                 {.ledger = scratch.path("l.db")});
  const auto& rate = finding_on(findings, "steady rate");
  EXPECT_EQ(rate.verdict, Verdict::worse);
  EXPECT_LT(rate.effect.value, 0.7);
  EXPECT_GT(finding_on(findings, "server cpu per request").effect.value, 1.5);
  EXPECT_EQ(finding_on(findings, "latency p50").verdict, Verdict::worse);
  EXPECT_EQ(finding_on(findings, "failed requests").candidate_typical, 0);
  for (const char* metric : {"requests per second", "latency p90", "start time", "server peak memory"})
    EXPECT_GT(finding_on(findings, metric).candidate_typical, 0) << metric;
  EXPECT_TRUE(std::ranges::none_of(findings.findings, [&](const Finding& f) {
    return findings.metric_of(f).name == "latency p99";
  })) << "takes a thousand requests";
  ledger::Ledger ledger(scratch.path("l.db"));
  EXPECT_EQ(ledger.read(ledger.list().at(0).id).log.trials.size(),
            2 + 2 * (findings.rounds + 1) + 2);  // checks, rounds and one to warm up, builds
}

TEST(ServerRunner, AReplyThatChangesIsWrongAndTheFirstDifferenceIsShown) {
  const auto findings = run_plan(servers_of({{"plain"}, {"wrong", "100"}, {"wrong", "1"}}));
  EXPECT_EQ(findings.statuses[CellId{1}].code, StatusCode::wrong);
  EXPECT_THAT(findings.statuses[CellId{1}].detail,
              HasSubstr("its reply changed in round 1: GET /locks: its body is not the baseline's: line 1: "
                        "\"GET /locks or so\", expected \"GET /locks\""));
  EXPECT_EQ(findings.statuses[CellId{2}].code, StatusCode::wrong);
  EXPECT_THAT(findings.statuses[CellId{2}].detail,
              testing::StartsWith("GET /locks: its body is not the baseline's"));
}

TEST(ServerRunner, VolatilePartsAreNotCompared) {
  auto plan = servers_of({{"numbered"}, {"numbered"}}, {.equal = "replies", .ignore = {" as number [0-9]+"}});
  const auto findings = run_plan(plan);
  EXPECT_TRUE(findings.statuses[CellId{1}].is_ok()) << findings.statuses[CellId{1}].detail;
  EXPECT_EQ(finding_on(findings, "steady rate").rounds, 6U);
}

TEST(ServerRunner, FailedRequestsAreAFindingAndCountAsTheSlowest) {
  const auto findings = run_plan(servers_of({{"plain"}, {"failing", "5"}}));
  const auto& failed = finding_on(findings, "failed requests");
  EXPECT_EQ(failed.baseline_typical, 0);
  EXPECT_NEAR(failed.candidate_typical, 20, 1);
  EXPECT_EQ(failed.verdict, Verdict::worse);
  EXPECT_TRUE(std::ranges::none_of(findings.findings, [&](const Finding& f) {
    return findings.metric_of(f).name == "latency p90";
  })) << "a fifth failed: nine tenths have no latency";
}

TEST(ServerRunner, ServersThatFailLeaveWithTheirReason) {
  const auto findings =
      run_plan(servers_of({{"plain"}, {"dies", "150"}, {"never"}, {"absent"}, {"failing", "1"}, {"plain"}}));
  const auto stands = [&](int cell) { return findings.statuses[CellId{cell}]; };
  EXPECT_EQ(stands(1).code, StatusCode::failed);
  EXPECT_THAT(stands(1).detail, HasSubstr("the server ended"));
  EXPECT_EQ(stands(2).code, StatusCode::failed);
  EXPECT_THAT(stands(2).detail,
              testing::AllOf(HasSubstr("was not ready within 2 s"), HasSubstr("looking for")));
  EXPECT_EQ(stands(3).code, StatusCode::unsupported);
  EXPECT_EQ(stands(4).code, StatusCode::wrong) << "its only reply has another status";
  EXPECT_TRUE(stands(5).is_ok());
}

TEST(ServerRunner, AnOpenLoopIsJudgedByItsLatenciesAndOneThatCannotKeepUpIsReported) {
  auto plan = servers_of({{"plain"}, {"work", "300000"}});
  plan.workloads[0].requests =
      PlannedRequests{.path = "/locks", .arrivals = "200/s", .count = 60, .warmup = 10};
  plan.rounds = {.min = 6, .max = 60};
  plan.watch = {"latency p50"};
  const auto findings = run_plan(plan);
  EXPECT_EQ(finding_on(findings, "latency p50").verdict, Verdict::worse);
  plan.watch.clear();
  plan.candidates[1].with["number"] = std::string("8000000");  // more than ten milliseconds a request
  plan.workloads[0].requests->arrivals = "400/s";
  plan.workloads[0].requests->warmup = 1;
  plan.workloads[0].requests->count = 60;
  plan.workloads[0].requests->connections = 1;
  plan.workloads[0].requests->backlog = 20;
  const auto slow = run_plan(plan);
  EXPECT_TRUE(slow.statuses[CellId{1}].is_ok());
  EXPECT_LT(slow.rounds, 12U) << "a latency that there is not is not waited for";
  EXPECT_EQ(finding_on(slow, "requests per second").verdict, Verdict::worse);
  const auto note = std::ranges::find(slow.notes, NoteKind::rate_not_sustained, &Note::kind);
  ASSERT_NE(note, slow.notes.end());
  EXPECT_EQ(note->subject, Subject(CellId{1}));
  EXPECT_NEAR(*note->threshold, 400, 1);
  EXPECT_LT(*note->value, 200);
  EXPECT_GT(*note->value, 5);
  EXPECT_TRUE(std::ranges::none_of(
      slow.findings, [&](const Finding& f) { return slow.metric_of(f).name == "latency p50" && f.decided; }));
}

/// How often a metric was read in judged rounds.
std::size_t readings_of(const Record& record, const std::string& metric) {
  const Observations evidence(record.design, record.log);
  return evidence.values(*record.design.metrics.find([&](const Metric& m) { return m.name == metric; }))
      .size();
}

TEST(ServerRunner, KeptServersStartOnceWithTheirTwin) {
  const Scratch scratch;
  auto plan = until_decided(servers_of({{"plain"}, {"work", "200000"}}));
  plan.rounds.twin = true;
  plan.workloads[0].service->keep = ServerLifetime::session;
  const auto findings = run_plan(plan, {.ledger = scratch.path("l.db")});
  EXPECT_EQ(finding_on(findings, "steady rate").verdict, Verdict::worse);
  EXPECT_TRUE(
      std::ranges::any_of(findings.notes, [](const Note& n) { return n.kind == NoteKind::servers_reused; }));
  ledger::Ledger ledger(scratch.path("l.db"));
  const auto record = ledger.read(ledger.list().at(0).id);
  EXPECT_LE(readings_of(record, "start time"), 1U) << "but the twin's, all of them in the warm-up round";
  EXPECT_GT(readings_of(record, "requests per second"), 2U * 6U) << "the twin is in some rounds";
}

TEST(ServerRunner, KeepsSlowStartersUpByDefault) {
  auto plan = servers_of({{"late", "120"}, {"late", "120"}});
  plan.workloads[0].requests->count = 20;
  plan.rounds.budget = 3;
  test::Observing observing;
  const auto kept = run_plan(plan, {.observer = &observing});
  EXPECT_THAT(observing.heard, testing::Contains(HasSubstr("they are kept up")));
  EXPECT_TRUE(
      std::ranges::any_of(kept.notes, [](const Note& n) { return n.kind == NoteKind::servers_reused; }));
  plan.workloads[0].service->keep = ServerLifetime::round;
  plan.rounds = {.min = 6, .max = 6};
  const auto fresh = run_plan(plan);
  EXPECT_TRUE(
      std::ranges::none_of(fresh.notes, [](const Note& n) { return n.kind == NoteKind::servers_reused; }));
}

TEST(ServerRunner, GetAsManyRequestsAsTakeASecondWhereThePlanDoesNotSay) {
  const Scratch scratch;
  auto plan = servers_of({{"plain"}, {"plain"}});
  plan.workloads[0].requests->count = 0;
  plan.rounds = {.min = 6, .max = 6, .budget = 6};
  run_plan(plan, {.ledger = scratch.path("l.db")});
  ledger::Ledger ledger(scratch.path("l.db"));
  const auto id = ledger.list().at(0).id;
  std::set<std::int64_t> counts;
  for (const auto& trial : ledger.read(id).log.trials)
    if (trial.round && trial.outcome == Outcome::ok) counts.insert(trial.calls);
  ASSERT_EQ(counts.size(), 1U) << "alike for all";
  EXPECT_GE(*counts.begin(), 1000);
}

TEST(ServerRunner, NotesASharedDriverCore) {
  auto plan = servers_of({{"plain"}, {"plain"}});
  const int core = measure::cores_allowed().front();
  plan.workloads[0].requests->core = core;
  plan.workloads[0].control.cores = {core};
  const auto findings = run_plan(plan);
  EXPECT_TRUE(std::ranges::any_of(findings.notes, [](const Note& n) {
    return n.kind == NoteKind::driver_beside;
  })) << "a server that does nothing takes less than sending does";
}

TEST(ServerRunner, SayWhoTheyAreWhenAsked) {
  auto plan = servers_of({{"plain"}, {"work", "20000"}, {"failing", "1"}});
  plan.workloads[0].service->identify.path = "/version";
  const auto findings = run_plan(plan);
  EXPECT_EQ(findings.design.candidates[CandidateId{0}].from.identity, "GET /version");
  EXPECT_EQ(findings.statuses[CellId{2}].code, StatusCode::failed);
  EXPECT_THAT(findings.statuses[CellId{2}].detail,
              HasSubstr("it can't be identified: GET /version: status 503"));
  EXPECT_TRUE(
      std::ranges::any_of(findings.notes, [](const Note& n) { return n.kind == NoteKind::same_identity; }));
}

TEST(ServerRunner, RunsAClientOfTheUsers) {
  auto plan = servers_of({{"closing"}, {"closing", "60000000"}, {"never"}}, {.equal = "stdout"});
  plan.rounds = {.min = 10, .max = 40};
  auto& workload = plan.workloads[0];
  workload.requests.reset();
  workload.run = {
      "/bin/bash", "-c",
      "exec 3<>/dev/tcp/127.0.0.1/${port} && printf 'GET /locks HTTP/1.0\\r\\n\\r\\n' >&3 && cat <&3"};
  const auto findings = run_plan(plan);
  EXPECT_EQ(finding_on(findings, "wall time").verdict, Verdict::worse);
  EXPECT_GT(finding_on(findings, "server cpu time").effect.value, 2);
  EXPECT_EQ(findings.statuses[CellId{2}].code, StatusCode::failed);
  EXPECT_THAT(findings.statuses[CellId{2}].detail, HasSubstr("was not ready within 2 s"));
}

TEST(ServerRunner, OneTrialAtATimeAndUnixSocketsWork) {
  const Scratch scratch;
  auto plan = until_decided(servers_of({{"plain"}, {"work", "200000"}}));
  plan.folder = scratch.path();
  plan.workloads[0].service->keep = ServerLifetime::trial;
  plan.workloads[0].service->socket = "${candidate}.sock";
  plan.workloads[0].service->start = {"${exe}", "./${candidate}.sock", "${mode}", "${number}"};
  plan.workloads[0].requests->slice = 0;
  const auto findings = run_plan(plan);
  EXPECT_EQ(finding_on(findings, "steady rate").verdict, Verdict::worse);
}

TEST(ServerRunner, RunBesidePrograms) {
  auto plan = servers_of({{"plain"}, {"plain"}});
  plan.workloads.push_back({.name = "help", .run = {"/bin/true"}});
  const auto findings = run_plan(plan);
  EXPECT_GT(finding_on(findings, "steady rate").candidate_typical, 0);
  EXPECT_TRUE(std::ranges::any_of(findings.findings, [&](const Finding& f) {
    return findings.metric_of(f).name == "wall time" &&
           findings.workload(findings.candidate_cell(f)).name == "help";
  }));
}

runners::LoadTotals counts(std::vector<double> slices) {
  runners::LoadTotals of;
  of.slice_rates = std::move(slices);
  return of;
}

TEST(SteadyRates, LeaveOutWhatAllServersOfAPassHadInCommon) {
  // The second is 10 % quicker in every pass, though the machine was half as fast in the third.
  const auto a = counts({1000, 1000, 500, 1000}), b = counts({1100, 1100, 550, 1100});
  const auto rates = runners::polished_rates({&a, &b});
  EXPECT_NEAR(*rates[1] / *rates[0], 1.1, 1e-9);
  const auto short_one = counts({900}), dead = counts({0, 0, 1});
  const auto apart = runners::polished_rates({&a, &short_one, &dead});
  EXPECT_EQ(apart[0], 1000);
  EXPECT_EQ(apart[1], 900);
  EXPECT_FALSE(apart[2]);
}

/// The launcher is the server's parent: what it ran is gone with it, and only that.
TEST(ServerRunner, AServerThatKillsItsLauncherHasFailedAndTheOthersGoOn) {
  const auto findings = run_plan(servers_of({{"plain"}, {"murders", "40"}, {"plain"}}));
  EXPECT_EQ(findings.statuses[CellId{0}].code, StatusCode::ok) << findings.statuses[CellId{0}].detail;
  EXPECT_EQ(findings.statuses[CellId{1}].code, StatusCode::failed);
  EXPECT_EQ(findings.statuses[CellId{2}].code, StatusCode::ok) << findings.statuses[CellId{2}].detail;
}

TEST(ServerRunner, AFileInPlaceOfItsSocketIsNotTakenAway) {
  const Scratch scratch;
  const auto file = scratch.file("precious.txt", "all the locks");
  auto plan = servers_of({{"plain"}, {"plain"}});
  plan.folder = scratch.path();
  plan.workloads[0].service->socket = "precious.txt";
  plan.workloads[0].service->start = {"${exe}", file, "${mode}", "${number}"};
  const auto findings = run_plan(plan);
  EXPECT_THAT(findings.statuses[CellId{0}].detail, testing::HasSubstr("is there, and is none"));
  EXPECT_EQ(test::read_file(file), "all the locks");
}

}  // namespace
}  // namespace assay::setup
