#include "assay/contest/contest.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <chrono>
#include <memory>
#include <set>
#include <stdexcept>
#include <thread>

#include "assay/ledger/ledger.hpp"
#include "assay/model/enum_names.hpp"
#include "assay/model/error.hpp"
#include "support/message.hpp"
#include "support/observing.hpp"
#include "support/plans.hpp"
#include "support/quick_contest.hpp"
#include "support/tool.hpp"

namespace assay::contest {
namespace {

using test::finding_on;
using test::message_of;
using test::Scratch;
using testing::HasSubstr;

TEST(Contest, TellsTheSlowerFromTheQuicker) {
  auto contest = quick();
  contest.baseline("short", [] { return units(100); }).candidate("long", [] { return units(1000); });
  const auto findings = contest.run().findings();
  const auto& f = finding_on(findings, "time per call");
  EXPECT_EQ(f.verdict, Verdict::worse);
  EXPECT_GT(f.effect.value, 3) << "ten times the work";
  EXPECT_EQ(findings.design.kind, CampaignKind::contest);
  EXPECT_EQ(findings.rounds, 7U);
}

/// Owns memory, and notes where it lies whenever it is called.
struct Owner {
  std::shared_ptr<std::set<const void*>> seen;
  std::vector<int> own = std::vector<int>(100, 1);
  int operator()() {
    seen->insert(own.data());
    return own[7];
  }
};

TEST(Contest, FunctionsLieElsewhereInEachRound) {
  const auto by_a = std::make_shared<std::set<const void*>>(),
             by_b = std::make_shared<std::set<const void*>>();
  auto contest = quick();
  contest.baseline("a", Owner{by_a}).candidate("b", Owner{by_b});
  contest.run();
  EXPECT_GT(by_a->size(), 4U) << "of nine or more copies";
  EXPECT_GT(by_b->size(), 4U);
}

TEST(Contest, AFunctionWhoseCopyThrowsIsLeftOut) {
  struct Fragile {
    int copies = 0;
    Fragile() = default;
    Fragile(const Fragile& other) : copies(other.copies + 1) {
      static int made = 0;
      if (++made > 12) throw std::runtime_error("no more of these");
    }
    Fragile(Fragile&&) = default;
    int operator()() const { return 1; }
  };
  auto contest = quick();
  contest.baseline("a", [] { return 1; }).candidate("b", Fragile{}).candidate("c", [] { return 1; });
  const auto findings = contest.run().findings();
  EXPECT_EQ(findings.statuses[CellId{1}].code, StatusCode::failed);
  EXPECT_THAT(findings.statuses[CellId{1}].detail, HasSubstr("no more of these"));
  EXPECT_TRUE(findings.statuses[CellId{2}].is_ok());
}

TEST(Contest, TheFirstCallIsThatOfACopyThatWasNeverCalled) {
  struct Lazy {
    bool built = false;
    int operator()() {
      if (!built) units(200000);
      built = true;
      return 1;
    }
  };
  auto contest = quick();
  contest.baseline("plain", [] { return units(20), 1; }).candidate("lazy", Lazy{});
  const auto findings = contest.run().findings();
  const auto& first = finding_on(findings, "first call");
  const auto& steady = finding_on(findings, "time per call");
  EXPECT_GT(first.candidate_typical, 20 * steady.candidate_typical);
  EXPECT_GT(first.effect.value, 5);
  EXPECT_EQ(steady.verdict, Verdict::better);
}

TEST(Contest, AFunctionThatThrowsIsLeftOutAndTheOthersGoOn) {
  auto contest = quick();
  contest.baseline("a", [] { return 1; });
  contest.candidate("bad", []() -> int { throw std::runtime_error("the lock is shut"); });
  auto calls = std::make_shared<int>(0);
  contest.candidate("worse", [calls] { return ++*calls > 2000 ? throw 5 : 1; });
  contest.candidate("good", [] { return 1; });
  const auto findings = contest.run().findings();
  EXPECT_EQ(findings.statuses[CellId{1}].code, StatusCode::failed);
  EXPECT_THAT(findings.statuses[CellId{1}].detail, HasSubstr("it threw: the lock is shut"));
  EXPECT_EQ(findings.statuses[CellId{2}].code, StatusCode::failed);
  EXPECT_THAT(findings.statuses[CellId{2}].detail, HasSubstr("no std::exception"));
  EXPECT_EQ(findings.statuses[CellId{3}].code, StatusCode::ok) << findings.statuses[CellId{3}].detail;
}

TEST(Threads, RunAtOnceEachWithItsOwnFunction) {
  std::mutex guard;
  std::set<std::thread::id> ids;
  auto contest = quick();
  contest.threads({1, 2});
  const auto note = [&, own = 0]() mutable {
    ++own;
    const std::lock_guard lock(guard);
    ids.insert(std::this_thread::get_id());
    return 1;
  };
  contest.baseline("a", note).candidate("b", note);
  contest.options().watch = {"throughput"};
  const auto findings = contest.run().findings();
  EXPECT_EQ(ids.size(), 4U) << "this thread, a threads of one, and a threads of two";
  EXPECT_EQ(findings.metric_of(findings.findings.front()).unit.empty(), false);
  EXPECT_EQ(finding_on(findings, "throughput").rounds, 7U);
}

TEST(Twins, CopyTheCodeAndInstantiateItAgain) {
  const TypedCallable<int (*)(int)> callable(units);
  EXPECT_EQ(callable.slice(0), callable.slice(0));
  EXPECT_NE(callable.slice(0), callable.slice(1));
  auto contest = quick();
  contest.options().twin = true;
  contest.baseline("a", [] { return units(50); }).candidate("b", [] { return units(60); });
  const auto findings = contest.run().findings();
  ASSERT_EQ(findings.design.candidates.size(), 4U);
  EXPECT_EQ(findings.design.candidates[CandidateId{2}].name, "a, once more");
  EXPECT_EQ(findings.design.candidates[CandidateId{3}].name, "a, placed anew");
  EXPECT_TRUE(findings.design.candidates[CandidateId{3}].twin_of);
}

TEST(Work, GivesThroughputAndRequirementsAreJudgedSeparately) {
  auto contest = quick();
  contest.input([] { return 200; });
  contest.baseline("a", units).candidate("b", [](int n) { return units(20 * n); });
  contest.work(4096, "B").require("time per call", "< 1 s").require("throughput", ">= 1e15");
  const auto findings = contest.run().findings();
  EXPECT_EQ(findings.metric_of(finding_on(findings, "throughput")).unit, "B/s");
  ASSERT_EQ(findings.requirements.size(), 4U);
  EXPECT_GT(findings.requirements[0].headroom, 0.9);
  EXPECT_NE(findings.requirements[0].status, RequirementFinding::Status::violated);
  EXPECT_LT(findings.requirements[3].headroom, -0.9);
  EXPECT_NE(findings.requirements[3].status, RequirementFinding::Status::met);
}

TEST(ContestLedger, KeepsEveryRound) {
  const Scratch scratch;
  auto contest = quick("kept");
  contest.factor("n", {10, 20});
  contest.input([](const Setting& s) { return static_cast<int>(s.integer("n")); });
  contest.baseline("a", units).candidate("b", [](int n) { return units(2 * n); });
  contest.options().run.ledger = scratch.path("l.db");
  const auto findings = contest.run().findings();
  ledger::Ledger ledger(scratch.path("l.db"));
  const auto record = ledger.read(ledger.list().at(0).id);
  EXPECT_EQ(record.design.kind, CampaignKind::contest);
  EXPECT_EQ(record.design.factors.at(0).role, Factor::Role::size);
  EXPECT_EQ(std::ranges::count(record.log.trials, Role::measured, &Trial::role), 4 * 7);
  EXPECT_GT(record.log.trials.back().calls, 0);
}

TEST(Contest, ChoosesLevelsAndStopsWhenAsked) {
  auto contest = quick();
  contest.factor("n", {10, 20, 30});
  contest.input([](const Setting& s) { return static_cast<int>(s.integer("n")); });
  contest.baseline("a", units).candidate("b", units);
  auto options = contest.options();
  options.only = {{"n", "20"}};
  EXPECT_EQ(contest.run(options).findings().design.cells.size(), 2U);
  options.only = {{"n", "25"}};
  EXPECT_THAT(message_of([&] { contest.run(options); }), HasSubstr("25 is not a level of n"));
  options.only = {{"m", "25"}};
  EXPECT_THAT(message_of([&] { contest.run(options); }), HasSubstr("there is no factor \"m\""));
  std::stop_source source;
  options = contest.options();
  options.run.stop = source.get_token();
  test::Observing observer;
  observer.when_progress = [&](const engine::Progress& p) {
    if (p.done == 3 && p.phase == engine::Progress::Phase::measuring) source.request_stop();
  };
  options.run.observer = &observer;
  EXPECT_TRUE(contest.run(options).findings().provisional);
}

TEST(Contest, RefusesABadDefinitionBeforeAnythingRuns) {
  EXPECT_THAT(message_of([] { Contest("x").candidate("a", units).run(); }),
              HasSubstr("there is no baseline"));
  EXPECT_THAT(message_of([] {
                Contest contest("x");
                contest.options().twin = false;
                contest.baseline("a", [] { return 1; }).run();
              }),
              HasSubstr("there is only the baseline"));
  EXPECT_THAT(message_of([] { Contest("x").baseline("a", units).candidate("b", units).run(); }),
              HasSubstr("contest \"x\": \"a\" takes an input, and none is made"));
  EXPECT_THAT(message_of([] {
                Contest("x").input([] { return 1.5; }).baseline("a", units).candidate("b", units).run();
              }),
              HasSubstr("takes another input than input(...) makes"));
  EXPECT_THAT(message_of([] { Contest("x").baseline("a", units).baseline("b", units); }),
              HasSubstr("a second baseline"));
  EXPECT_THAT(message_of([] { Contest("x").baseline("a", units).candidate("a", units); }),
              HasSubstr("two candidates are named \"a\""));
  EXPECT_THAT(message_of([] { Contest("x").factor("n", {1, 2, 1}); }), HasSubstr("has level 1 twice"));
  EXPECT_THAT(message_of([] { Contest("x").threads({0}); }), HasSubstr("0 threads can't run"));
  EXPECT_THAT(message_of([] { Contest("x").require("time per call", "2 ms"); }),
              HasSubstr("is not a requirement"));
  EXPECT_THAT(message_of([] {
                Contest contest("x");
                contest.baseline("a", [] { return 1; }).candidate("b", [] { return 1; });
                contest.options().watch = {"speed"};
                contest.run();
              }),
              HasSubstr("a contest has no metric \"speed\""));
}

}  // namespace
}  // namespace assay::contest
