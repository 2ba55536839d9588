#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "assay/ledger/ledger.hpp"
#include "assay/model/error.hpp"
#include "assay/setup/run_plan.hpp"
#include "support/observing.hpp"
#include "support/plans.hpp"
#include "support/records.hpp"
#include "support/tool.hpp"

namespace assay::setup {
namespace {
using test::finding_on;
using test::plan_of;
using test::Scratch;
using testing::Contains;
using testing::HasSubstr;

TEST(Twins, MeasuredBesideTheirBaselineAndJudgedSeparately) {
  auto plan = plan_of({{"say", "x"}, {"say", "x"}, {"say", "x"}});
  plan.rounds = {.min = 28, .max = 28, .mode = Way::turns, .twin = true};
  const auto findings = run_plan(plan);
  ASSERT_EQ(findings.design.candidates.size(), 4U);
  EXPECT_EQ(findings.design.candidates[CandidateId{3}].name, "c0 (twin)");
  EXPECT_EQ(findings.design.candidates[CandidateId{3}].twin_of, CandidateId{0});
  int twins = 0;
  for (const auto& f : findings.findings)
    if (findings.metric_of(f).name == "wall time" && findings.design.is_twin(f.comparison.candidate)) {
      ++twins;
      EXPECT_EQ(f.rounds, 7U) << "it runs in every fourth round";
    }
  EXPECT_EQ(twins, 1);
}

TEST(Against, HoldsACandidateAgainstItsOwnBaseline) {
  auto plan = plan_of({{"spin", "0.001"}, {"spin", "0.03"}, {"spin", "0.001"}});
  plan.candidates[2].baseline = "c1";
  const auto findings = run_plan(plan);
  for (const auto& f : findings.findings) {
    if (findings.metric_of(f).name != "wall time") continue;
    const auto name = findings.candidate(findings.candidate_cell(f)).name;
    EXPECT_EQ(findings.candidate(findings.baseline_cell(f)).name, name == "c1" ? "c0" : "c1");
    EXPECT_EQ(f.effect.value > 1, name == "c1") << name;
  }
}

TEST(Identify, AnswerIsStoredOrMeansUnsupported) {
  auto plan = plan_of({{"say", "x"}, {"say", "x"}, {"say", "x"}});
  plan.candidates[0].identify = {"sh", "-c", "echo towpath 0.4; echo more"};
  plan.candidates[1].identify = {"sh", "-c", "exit 77"};
  plan.candidates[2].identify = {"sh", "-c", "echo no >&2; exit 1"};
  const auto findings = run_plan(plan);
  EXPECT_EQ(findings.design.candidates[CandidateId{0}].from.identity, "towpath 0.4");
  EXPECT_EQ(findings.statuses[CellId{1}].code, StatusCode::unsupported);
  EXPECT_EQ(findings.statuses[CellId{2}].code, StatusCode::failed);
  EXPECT_THAT(findings.statuses[CellId{2}].detail, HasSubstr("its identify command failed"));
}

TEST(CandidateBuilds, AFailedBuildLeavesTheOthersRunning) {
  const Scratch scratch;
  scratch.file("src/run.sh", "#!/bin/sh\necho total 3\n");
  Plan plan{.rounds = {.min = 6, .max = 6, .mode = Way::turns},
            .workloads = {{.name = "w", .run = {"${exe}"}, .check = {.match = "^total"}}},
            .folder = scratch.path()};
  const std::vector<std::string> copy = {"install", "-m", "755", "${source}/run.sh", "${out}/run"};
  for (const char* name : {"a", "b", "broken", "empty"})
    plan.candidates.push_back(
        {.name = name, .exe = "${out}/run", .source = "src", .build = {.steps = {copy, {"true", name}}}});
  plan.candidates[2].build.steps = {{"sh", "-c", "echo sluice jammed; exit 1"}};
  plan.candidates[3].build.steps = {{"true"}};
  const auto findings = run_plan(plan);
  EXPECT_EQ(findings.statuses[CellId{0}].code, StatusCode::ok);
  EXPECT_EQ(findings.statuses[CellId{1}].code, StatusCode::ok);
  EXPECT_EQ(findings.statuses[CellId{2}].code, StatusCode::failed);
  EXPECT_THAT(findings.statuses[CellId{2}].detail, HasSubstr("sluice jammed"));
  EXPECT_THAT(findings.statuses[CellId{3}].detail, HasSubstr("its build yields no such program"));
  EXPECT_EQ(finding_on(findings, "wall time").rounds, 6U);
  EXPECT_THAT(test::read_file(scratch.path(".assay/.gitignore")), HasSubstr("*"));
}

TEST(OutputCheck, EveryKindLeavesAWrongCandidateOut) {
  const Scratch scratch;
  scratch.file("answer.txt", "total 3.0000001\n");
  const auto detail = [&](const OutputCheck& check) {
    auto plan = plan_of({{"say", "total 3.0000001"}, {"say", "total 4"}}, check);
    plan.folder = scratch.path();
    return run_plan(plan).statuses[CellId{1}].detail;
  };
  EXPECT_THAT(detail({.file = "answer.txt"}), HasSubstr("not that of answer.txt"));
  EXPECT_THAT(detail({.equal = "stdout", .tolerance = 0.1}), HasSubstr("not the baseline's"));
  EXPECT_EQ(detail({.file = "answer.txt", .tolerance = 0.5}), "");
  EXPECT_THAT(detail({.min_size = 10}), HasSubstr("at least 10"));
  EXPECT_THAT(detail({.program = {"grep", "-q", "3"}}),
              HasSubstr("the checker rejected the output (exit status 1)"));
  EXPECT_EQ(detail({.program = {"grep", "-q", "total"}}), "");
}

TEST(OutputCheck, WarnsOfWeakChecks) {
  const auto doubt = [](const std::string& word, const OutputCheck& check) {
    test::Observing observing;
    const auto findings = run_plan(plan_of({{"say", word}, {"say", word}}, check), {.observer = &observing});
    const auto note = std::ranges::find(findings.notes, NoteKind::weak_check, &Note::kind);
    EXPECT_EQ(note == findings.notes.end(), observing.heard.empty());
    return note == findings.notes.end() ? std::string{} : note->quoted;
  };
  EXPECT_THAT(doubt("x", {}), HasSubstr("nothing checks"));
  EXPECT_THAT(doubt("x", {.match = "x*"}), HasSubstr("would pass on an empty answer"));
  EXPECT_EQ(doubt("x", {.equal = "stdout"}), "");
  EXPECT_EQ(doubt("x", {.match = "x"}), "");
}

TEST(OutputCheck, RunsAgainAtTheEnd) {
  const Scratch scratch;
  // Says something else from the ninth run on: the first check, warm-up, six rounds, and then the last check.
  auto plan = plan_of({{"say", "total 3"}, {"say", "total 3"}}, {.match = "^total 3"});
  plan.candidates[1].run = {"sh", "-c",
                            "echo x >> " + scratch.path("runs") + "; test $(wc -l < " + scratch.path("runs") +
                                ") -gt 8 && echo nothing || echo total 3"};
  const auto findings = run_plan(plan);
  EXPECT_EQ(findings.statuses[CellId{1}].code, StatusCode::wrong);
  EXPECT_THAT(findings.statuses[CellId{1}].detail, HasSubstr("at the end, "));
}

TEST(Forecast, ReportsWhatARoundTakesAndWhatCanBeDecided) {
  auto plan = plan_of({{"spin", "0.01"}, {"spin", "0.01"}});
  plan.rounds = {.min = 7, .max = 40, .budget = 1000, .twin = true};
  const auto [outlook, design] = forecast(plan, 4);
  EXPECT_EQ(outlook.cells, 3U);
  EXPECT_EQ(outlook.twins, 1U);
  EXPECT_EQ(outlook.comparisons, 1U);
  EXPECT_EQ(outlook.rounds, 40);
  EXPECT_GT(outlook.round_seconds, 0.02);
  EXPECT_GT(outlook.twin_seconds, 0.0025) << "in every fourth round";
  ASSERT_EQ(outlook.forecasts.size(), 1U);
  ASSERT_TRUE(outlook.forecasts[0].change.has_value());
  EXPECT_GT(outlook.forecasts[0].change->typical, 0);
  EXPECT_EQ(design.candidates.size(), 3U);
}

/// Stops a campaign when it has come so far.
class Stopping {
 public:
  explicit Stopping(int rounds, const std::string& ledger)
      : options_{.ledger = ledger, .resume = true, .observer = &observing_, .stop = source_.get_token()} {
    observing_.when_progress = [this, rounds](const engine::Progress& p) {
      if (p.phase == engine::Progress::Phase::measuring && p.done >= rounds) source_.request_stop();
    };
  }
  const RunOptions& options() const { return options_; }

 private:
  std::stop_source source_;
  test::Observing observing_;
  RunOptions options_;
};

TEST(Resume, GoesOnToWhatAnUninterruptedCampaignOfTheSameTrialsReports) {
  const Scratch scratch;
  const auto path = scratch.path("ledger.db");
  auto plan = plan_of({{"spin", "0.002"}, {"spin", "0.004"}});
  plan.rounds = {.min = 7, .max = 20};
  plan.watch = {"wall time"};
  plan.margin = 9;  // nothing is ever called a change, and same takes the rounds it takes
  for (const int rounds : {2, 5}) {
    const auto cut = run_plan(plan, Stopping(rounds, path).options());
    EXPECT_EQ(cut.state, CampaignState::interrupted);
    EXPECT_TRUE(cut.provisional);
  }
  const auto done = run_plan(plan, {.ledger = path, .resume = true});
  ledger::Ledger ledger(path, ledger::Ledger::OpenMode::existing);
  const auto campaigns = ledger.list();
  ASSERT_EQ(campaigns.size(), 1U);
  const auto record = ledger.read(campaigns[0].id);
  EXPECT_EQ(record.log.sessions.size(), 3U);
  EXPECT_EQ(record.log.state, CampaignState::ended);
  // Every cell of every whole round exactly once, in the first warm-up three times; the order is that of the seed.
  std::map<int, int> trials;
  for (const auto& trial : record.log.trials)
    if (trial.round) ++trials[*trial.round];
  for (const auto& round : record.log.rounds) {
    if (round.state == RoundState::complete) {
      EXPECT_EQ(static_cast<std::size_t>(trials[round.number]), round.order.size());
      if (round.role != Role::warm_up) EXPECT_EQ(trials[round.number], 2);
    }
    EXPECT_NE(round.state, RoundState::open);
  }
  EXPECT_EQ(record.log.looks.size(), static_cast<std::size_t>(finding_on(done, "wall time").looks));
  const auto again = run_plan(plan, {.ledger = path, .resume = true});
  EXPECT_EQ(again.design.uid, done.design.uid) << "one that has ended is shown";
  EXPECT_EQ(finding_on(again, "wall time").p_equivalence, finding_on(done, "wall time").p_equivalence);
  EXPECT_EQ(ledger.list().size(), 1U);
}

TEST(Resume, RefusesAnotherPlanOrProgram) {
  const Scratch scratch;
  const auto path = scratch.path("ledger.db");
  scratch.file("one", "#!/bin/sh\necho total 3\n");
  std::filesystem::permissions(scratch.path("one"), std::filesystem::perms::owner_all);
  auto plan = plan_of({{"say", "x"}, {"say", "x"}});
  plan.candidates[1].run = {scratch.path("one")};
  run_plan(plan, Stopping(1, path).options());
  const auto problem = [&](const Plan& changed) -> std::string {
    try {
      run_plan(changed, {.ledger = path, .resume = true});
    } catch (const Error& error) {
      return error.what();
    }
    return "none";
  };
  auto other = plan;
  other.rounds.max = 8;
  EXPECT_THAT(problem(other), HasSubstr("[rounds]: \"max = 8\", was \"max = 6\""));
  scratch.file("one", "#!/bin/sh\necho total  3\n");
  EXPECT_THAT(problem(plan), HasSubstr("c1's program has changed"));
  scratch.file("one", "#!/bin/sh\necho total 3\n");
  EXPECT_EQ(problem(plan), "none");
}

TEST(Choosing, MeasuresTheChosenComparisonsOnly) {
  auto plan = plan_of({{"say", "x"}, {"say", "x"}, {"say", "x"}});
  const auto findings = run_plan(plan, {}, {.only_cells = {{"c2", "w", ""}}});
  for (const auto& f : findings.findings)
    EXPECT_EQ(findings.candidate(findings.candidate_cell(f)).name, "c2");
  EXPECT_FALSE(findings.findings.empty());
}

}  // namespace
}  // namespace assay::setup
