#include "assay/contest/contest.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <chrono>
#include <memory>
#include <set>
#include <stdexcept>
#include <thread>

#include "assay/ledger/ledger.hpp"
#include "assay/model/error.hpp"
#include "assay/model/names.hpp"
#include "support/message.hpp"
#include "support/observing.hpp"
#include "support/plans.hpp"
#include "support/tool.hpp"

namespace assay::inline v1::contest {
namespace {

using test::finding_on;
using test::message_of;
using test::Scratch;
using testing::HasSubstr;

[[gnu::noinline]] int units(int count) {
  volatile unsigned sum = 0;
  for (int i = 0; i < count; ++i) sum = sum + static_cast<unsigned>(i);
  return count;
}

/// A quick contest: few rounds of a few milliseconds.
Contest quick(const std::string& title = "test") {
  Contest contest(title);
  contest.options().rounds_min = contest.options().rounds_max = 7;
  contest.options().budget = 0.02;
  contest.options().twin = false;
  contest.may_differ();
  return contest;
}

TEST(Contest, TellsTheSlowerFromTheQuicker) {
  auto contest = quick();
  contest.baseline("short", [] { return units(100); }).candidate("long", [] { return units(1000); });
  const auto findings = contest.run();
  const auto& f = finding_on(findings, "time per call");
  EXPECT_EQ(f.verdict, Verdict::worse);
  EXPECT_GT(f.effect.value, 3) << "ten times the work";
  EXPECT_EQ(findings.design.kind, "contest");
  EXPECT_EQ(findings.rounds, 7U);
}

TEST(Contest, TheInputIsSharedAndMadeAnewByRound) {
  int made = 0;
  auto contest = quick();
  contest.over("size", {10, 20});
  contest.input([&](const Setting& s) {
    ++made;
    return std::vector<int>(static_cast<std::size_t>(s.integer("size")), 1);
  });
  std::set<const void*> by_a, by_b;
  contest.baseline("a", [&](const std::vector<int>& v) { return by_a.insert(&v), v.size(); });
  contest.candidate("b", [&](const std::vector<int>& v) { return by_b.insert(&v), v.size(); });
  const auto findings = contest.run();
  EXPECT_GT(made, 3) << "once to look at its type, once for each size, and then by round";
  EXPECT_EQ(by_a, by_b);
  EXPECT_EQ(findings.design.cells.size(), 4U);
}

TEST(Contest, AnInputThatTakesLongIsKept) {
  int made = 0;
  auto contest = quick();
  contest.input([&] {
    ++made;
    std::this_thread::sleep_for(std::chrono::milliseconds(30));
    return 3;
  });
  contest.baseline("a", units).candidate("b", units);
  contest.run();
  EXPECT_EQ(made, 2) << "once to look at its type: a tenth of all slices is less than another would take";
}

TEST(Contest, AnInputThatCantBeMadeAgainIsKept) {
  int made = 0;
  auto contest = quick();
  contest.input([&] {
    if (++made > 2) throw std::runtime_error("no more of these");
    return 30;
  });
  contest.baseline("a", units).candidate("b", units);
  EXPECT_EQ(contest.run().rounds, 7U);
  EXPECT_EQ(made, 3) << "to look at its type, to begin with, and once in vain";
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
  const auto findings = contest.run();
  EXPECT_EQ(findings.states[CellId{1}].standing, Standing::failed);
  EXPECT_THAT(findings.states[CellId{1}].detail, HasSubstr("no more of these"));
  EXPECT_TRUE(findings.states[CellId{2}].is_sound());
}

TEST(Contest, FunctionsThatConsumeTheirInputGetAFreshCopyForEachCall) {
  auto contest = quick();
  contest.input([] { return std::vector<int>{3, 1, 2}; });
  int stale = 0;
  const auto check = [&](const std::vector<int>& v) { stale += v == std::vector<int>{3, 1, 2} ? 0 : 1; };
  contest.baseline("by value", [&](std::vector<int> v) { return check(v), v.clear(), 1; });
  contest.candidate("by reference", [&](std::vector<int>& v) { return check(v), v.clear(), 1; });
  contest.candidate("by rvalue", [&](std::vector<int>&& v) {
    check(v);
    const auto mine = std::move(v);
    return 1;
  });
  const auto findings = contest.run();
  EXPECT_EQ(stale, 0);
  EXPECT_EQ(findings.findings.size() % 2, 0U);
}

TEST(Contest, InputsThatCannotBeCopiedAreMadeAnew) {
  auto contest = quick();
  contest.input([] { return std::make_unique<int>(5); });
  int empty = 0;
  const auto take = [&](std::unique_ptr<int> p) { return empty += p ? 0 : 1, *p; };
  contest.baseline("a", take).candidate("b", take);
  const auto findings = contest.run();
  EXPECT_EQ(empty, 0);
  EXPECT_EQ(findings.states[CellId{1}].standing, Standing::sound) << findings.states[CellId{1}].detail;
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
  const auto findings = contest.run();
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
  const auto findings = contest.run();
  EXPECT_EQ(findings.states[CellId{1}].standing, Standing::failed);
  EXPECT_THAT(findings.states[CellId{1}].detail, HasSubstr("it threw: the lock is shut"));
  EXPECT_EQ(findings.states[CellId{2}].standing, Standing::failed);
  EXPECT_THAT(findings.states[CellId{2}].detail, HasSubstr("no std::exception"));
  EXPECT_EQ(findings.states[CellId{3}].standing, Standing::sound) << findings.states[CellId{3}].detail;
}

TEST(Sizes, ACandidateThatGetsTooSlowLeavesLargerOnesAndItIsSaid) {
  auto contest = quick();
  contest.over("size", {1, 100'000'000, 2'000'000'000, 2});
  contest.allowance(0.03);  // a stall longer than that, twice in a row, is what could fail this
  contest.input([](const Setting& s) { return static_cast<int>(s.integer("size")); });
  contest.baseline("constant", [](int) { return 1; });
  contest.candidate("linear", [](int n) { return units(n); });
  const auto findings = contest.run();
  std::map<std::int64_t, std::string> linear;
  for (const auto id : findings.design.cells.ids())
    if (const auto& cell = findings.design.cells[id]; cell.candidate.value == 1)
      linear[cell.setting.integer("size")] =
          std::string(to_string(findings.states[id].standing)) + " " + findings.states[id].detail;
  EXPECT_THAT(linear[2], HasSubstr("sound"));
  EXPECT_THAT(linear[100'000'000], HasSubstr("absent a call took"));
  EXPECT_THAT(linear[2'000'000'000], HasSubstr("at size=100000000, 0.03 s are allowed")) << "not even tried";
}

TEST(Sizes, ACallThatIsSlowOnceIsNoReasonToLeave) {
  auto contest = quick();
  contest.over("size", {1, 2});
  contest.allowance(0.05);
  contest.input([](const Setting& s) { return static_cast<int>(s.integer("size")); });
  contest.baseline("constant", [](int) { return 1; });
  contest.may_differ();
  auto calls = std::make_shared<int>(0);
  contest.candidate("cold", [calls](int n) {
    if (++*calls == 1) std::this_thread::sleep_for(std::chrono::milliseconds(100));
    return n;
  });
  const auto findings = contest.run();
  for (const auto id : findings.design.cells.ids())
    EXPECT_EQ(findings.states[id].standing, Standing::sound) << findings.states[id].detail;
}

TEST(Sizes, GrowthIsToldFromTheSizes) {
  auto contest = quick();
  contest.over("n", {100, 200, 400, 800, 1600, 3200});
  contest.input([](const Setting& s) { return static_cast<int>(s.integer("n")); });
  contest.baseline("linear", [](int n) { return units(n); });
  contest.candidate("flat", [](int) { return units(500); });
  const auto findings = contest.run();
  ASSERT_EQ(findings.trends.size(), 2U);
  EXPECT_NEAR(*findings.trends[0].exponent, 1, 0.3);
  EXPECT_NEAR(*findings.trends[1].exponent, 0, 0.3);
  ASSERT_TRUE(findings.trends[1].crossing);
  EXPECT_GT(*findings.trends[1].crossing, 100);
  EXPECT_LT(*findings.trends[1].crossing, 3200);
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
  const auto findings = contest.run();
  EXPECT_EQ(ids.size(), 4U) << "this thread, a team of one, and a team of two";
  EXPECT_EQ(findings.metric_of(findings.findings.front()).unit.empty(), false);
  EXPECT_EQ(finding_on(findings, "throughput").rounds, 7U);
}

TEST(Twins, AreTheSameCodeOnceMoreAndASecondInstantiation) {
  const TypedCallable<int (*)(int)> callable(units);
  EXPECT_EQ(callable.slice(0), callable.slice(0));
  EXPECT_NE(callable.slice(0), callable.slice(1));
  auto contest = quick();
  contest.options().twin = true;
  contest.baseline("a", [] { return units(50); }).candidate("b", [] { return units(60); });
  const auto findings = contest.run();
  ASSERT_EQ(findings.design.candidates.size(), 4U);
  EXPECT_EQ(findings.design.candidates[CandidateId{2}].name, "a, once more");
  EXPECT_EQ(findings.design.candidates[CandidateId{3}].name, "a, placed anew");
  EXPECT_TRUE(findings.design.candidates[CandidateId{3}].twin_of);
}

TEST(Work, GivesThroughputAndRequirementsAreJudgedApart) {
  auto contest = quick();
  contest.input([] { return 200; });
  contest.baseline("a", units).candidate("b", [](int n) { return units(20 * n); });
  contest.work(4096, "B").require("time per call", "< 1 s").require("throughput", ">= 1e15");
  const auto findings = contest.run();
  EXPECT_EQ(findings.metric_of(finding_on(findings, "throughput")).unit, "B/s");
  ASSERT_EQ(findings.requirements.size(), 4U);
  EXPECT_GT(findings.requirements[0].spare, 0.9);
  EXPECT_NE(findings.requirements[0].status, RequirementFinding::Status::broken);
  EXPECT_LT(findings.requirements[3].spare, -0.9);
  EXPECT_NE(findings.requirements[3].status, RequirementFinding::Status::met);
}

TEST(ContestLedger, KeepsEveryRound) {
  const Scratch scratch;
  auto contest = quick("kept");
  contest.over("n", {10, 20});
  contest.input([](const Setting& s) { return static_cast<int>(s.integer("n")); });
  contest.baseline("a", units).candidate("b", [](int n) { return units(2 * n); });
  contest.options().ledger = scratch.path("l.db");
  const auto findings = contest.run();
  ledger::Ledger ledger(scratch.path("l.db"));
  const auto record = ledger.read(ledger.list().at(0).id);
  EXPECT_EQ(record.design.kind, "contest");
  EXPECT_EQ(record.design.factors.at(0).role, Factor::Role::size);
  EXPECT_EQ(std::ranges::count(record.log.trials, Role::counted, &Trial::role), 4 * 7);
  EXPECT_GT(record.log.trials.back().calls, 0);
}

TEST(Contest, ChoosesLevelsAndStopsWhenAsked) {
  auto contest = quick();
  contest.over("n", {10, 20, 30});
  contest.input([](const Setting& s) { return static_cast<int>(s.integer("n")); });
  contest.baseline("a", units).candidate("b", units);
  auto options = contest.options();
  options.only = {{"n", "20"}};
  EXPECT_EQ(contest.run(options).design.cells.size(), 2U);
  options.only = {{"n", "25"}};
  EXPECT_THAT(message_of([&] { contest.run(options); }), HasSubstr("25 is not a level of n"));
  options.only = {{"m", "25"}};
  EXPECT_THAT(message_of([&] { contest.run(options); }), HasSubstr("there is no factor \"m\""));
  std::stop_source source;
  options = contest.options();
  options.stop = source.get_token();
  test::Observing observer;
  observer.on_progress = [&](const campaign::Progress& p) {
    if (p.done == 3 && p.phase == campaign::Progress::Phase::measuring) source.request_stop();
  };
  options.observer = &observer;
  EXPECT_TRUE(contest.run(options).provisional);
}

TEST(Contest, WhatIsAmissIsSaidBeforeAnythingRuns) {
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
  EXPECT_THAT(message_of([] { Contest("x").over("n", {1, 2, 1}); }), HasSubstr("has level 1 twice"));
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
}  // namespace assay::inline v1::contest
