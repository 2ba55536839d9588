// Campaigns whose rounds several processes run, with runners that need no programs.

#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <sys/wait.h>
#include <unistd.h>

#include <csignal>
#include <set>

#include "assay/engine/campaign_runner.hpp"
#include "assay/judge/judge.hpp"
#include "support/fake_runner.hpp"
#include "support/observing.hpp"
#include "support/records.hpp"
#include "support/tool.hpp"

namespace assay::engine {
namespace {

using test::FakeRunner;

/// Trials that take their time, 5 % longer of the second cell, and twice as long on a slow machine.
struct SlowRunner : FakeRunner {
  explicit SlowRunner(std::uint64_t seed, double slower = 1) : random(seed) {
    change = [this, slower](Trial& trial) {
      usleep(2000);
      if (trial.readings.empty()) return;
      trial.readings.front().value =
          slower * (trial.cell.value == 0 ? 1 : 1.05) * std::exp(0.01 * random.normal());
    };
  }
  bool needs_final_check(CellId) const override { return false; }
  stats::Random random;
};

class SharedRounds : public testing::Test {
 protected:
  void SetUp() override {
    record_ = test::unmeasured();
    record_.design.rules.rounds_min = 8;
    record_.design.rules.rounds_max = 20;
    record_.design.rules.way = Way::turns;
  }

  std::string path() const { return scratch_.path("ledger.db"); }

  /// Another process that takes part on a machine of this name; what it does with its runner is its exit status.
  pid_t in_another(const std::string& mark, const std::function<int(Recorder&)>& act) const {
    const auto sessions = [&] {
      ledger::Ledger ledger(path());
      return ledger.read(ledger.list().front().id).log.sessions.size();
    };
    const auto before = sessions();
    const pid_t child = fork();
    if (child != 0) {  // it has joined before anybody measures
      for (int i = 0; i < 6000 && sessions() == before; ++i) usleep(10'000);
      return child;
    }
    int status = 99;
    try {
      ledger::Ledger ledger(path());
      const auto id = ledger.list().front().id;
      const auto own = ledger.join(id, test::session_on(mark));
      Recorder recorder(ledger.read(id), std::move(ledger), id, own);
      status = act(recorder);
    } catch (const std::exception& error) {
      fprintf(stderr, "%s\n", error.what());
    }
    _exit(status);
  }

  /// Measures as a process does that joined, to its end.
  static int measure(Recorder& recorder, FakeRunner& runner, int rounds = 20) {
    test::Observing nobody;
    CampaignRunner life(recorder, runner, nobody, {});
    life.run(*until_decided(rounds, {}), false);
    return static_cast<int>(life.stop_reason());
  }
  static int status_of(pid_t child) {
    int status = 0;
    waitpid(child, &status, 0);
    return WIFEXITED(status) ? WEXITSTATUS(status) : -1;
  }

  static std::size_t judged_in(const Log& log) {
    return static_cast<std::size_t>(std::ranges::count_if(log.rounds, [](const Round& round) {
      return round.role == Role::measured && round.state == RoundState::complete;
    }));
  }

  test::Scratch scratch_;
  Record record_;
};

TEST_F(SharedRounds, FindingsAreThoseOfTheSameRoundsWhoeverRanThem) {
  Recorder recorder(record_, path());
  const auto child = in_another("two", [](Recorder& other) {
    SlowRunner runner(7, 2);
    return measure(other, runner);
  });
  SlowRunner runner(6);
  test::Observing nobody;
  CampaignRunner life(recorder, runner, nobody, {});
  const auto shown = life.run(*until_decided(20, {}), false);
  const int other = status_of(child);
  EXPECT_NE(other, static_cast<int>(StopReason::stopped));
  EXPECT_LT(other, 99);
  const auto stored = judge::judge_record(ledger::Ledger(path()).read(CampaignId{1}));
  ASSERT_EQ(shown.findings.size(), stored.findings.size());
  const auto &here = shown.findings.at(0), &there = stored.findings.at(0);
  EXPECT_EQ(here.verdict, Verdict::worse);
  EXPECT_EQ(here.effect.value, there.effect.value);
  EXPECT_EQ(here.rounds, there.rounds);
  EXPECT_EQ(here.p, there.p);
  ASSERT_EQ(here.machines.size(), 2U);
  EXPECT_EQ(here.machines[0].rounds + here.machines[1].rounds, here.rounds);
  EXPECT_NEAR(here.effect.value, 1.05, 0.02) << "though one machine takes twice as long";
}

TEST_F(SharedRounds, OfThePlannedRoundsNoneIsRunTwiceOrLeftOut) {
  Recorder recorder(record_, path());
  std::vector<pid_t> children;
  for (const std::string mark : {"two", "three", "four"})
    children.push_back(in_another(mark, [&](Recorder& other) {
      SlowRunner runner(9);
      test::Observing nobody;
      return static_cast<int>(RoundLoop(other, runner, *fixed_rounds(30), nobody, {}).run());
    }));
  SlowRunner runner(8);
  test::Observing nobody;
  EXPECT_EQ(RoundLoop(recorder, runner, *fixed_rounds(30), nobody, {}).run(), StopReason::rounds);
  recorder.end_session(CampaignState::ended);
  for (const auto child : children) {
    const int why = status_of(child);
    EXPECT_TRUE(why == static_cast<int>(StopReason::rounds) || why == static_cast<int>(StopReason::ended))
        << why;
  }
  const auto log = ledger::Ledger(path()).read(CampaignId{1}).log;
  EXPECT_EQ(judged_in(log), 30U);
  for (std::size_t i = 0; i < log.rounds.size(); ++i)
    EXPECT_EQ(log.rounds[i].number, static_cast<int>(i) + 1);
}

TEST_F(SharedRounds, ARoundThatIsLostIsRunAnew) {
  Recorder recorder(record_, path());
  const auto child = in_another("two", [](Recorder& other) {
    SlowRunner runner(9);
    int judged = 0;
    runner.change = [&](Trial& trial) {
      if (trial.role == Role::measured && ++judged == 5) kill(getpid(), SIGKILL);
    };
    return measure(other, runner);
  });
  status_of(child);
  SlowRunner runner(8);
  test::Observing nobody;
  EXPECT_EQ(RoundLoop(recorder, runner, *fixed_rounds(12), nobody, {}).run(), StopReason::rounds);
  EXPECT_EQ(judged_in(recorder.log()), 12U);
  EXPECT_EQ(std::ranges::count(recorder.log().rounds, RoundState::aborted, &Round::state), 1);
}

TEST_F(SharedRounds, AMachineOnWhichAWorkingCellFailsLeaves) {
  Recorder recorder(record_, path());
  SlowRunner here(8);
  test::Observing nobody;
  const auto policy = fixed_rounds(12);
  RoundLoop loop(recorder, here, *policy, nobody, {});
  for (int i = 0; i < 3; ++i) EXPECT_FALSE(loop.run_round());
  const auto child = in_another("two", [](Recorder& other) {
    SlowRunner runner(9);
    runner.change = [](Trial& trial) {
      if (trial.cell.value == 1 && trial.role != Role::check) trial.outcome = Outcome::failed;
    };
    return measure(other, runner);
  });
  EXPECT_EQ(status_of(child), static_cast<int>(StopReason::fails_here));
  EXPECT_EQ(loop.run(), StopReason::rounds);
  EXPECT_TRUE(recorder.statuses()[CellId{1}].is_ok());
}

/// It would hold up what counts: rounds count in the order of their numbers.
TEST_F(SharedRounds, AMachineThatIsMuchSlowerThanTwoOthersLeaves) {
  Recorder recorder(record_, path());
  SlowRunner here(8);
  test::Observing nobody;
  const auto policy = fixed_rounds(12);
  RoundLoop loop(recorder, here, *policy, nobody, {});
  EXPECT_FALSE(loop.run_round());
  int ready[2];
  ASSERT_EQ(pipe(ready), 0);
  const auto second = in_another("two", [&](Recorder& other) {
    SlowRunner runner(9);
    test::Observing silent;
    const auto until = fixed_rounds(12);
    RoundLoop rounds(other, runner, *until, silent, {});
    rounds.run_round();
    if (write(ready[1], "x", 1) != 1) return 99;
    pause();
    return 0;
  });
  char byte = 0;
  ASSERT_EQ(read(ready[0], &byte, 1), 1);
  const auto slow = in_another("three", [](Recorder& other) {
    SlowRunner runner(10, 5);
    test::Observing hearing;
    const auto until = fixed_rounds(12);
    RoundLoop rounds(other, runner, *until, hearing, {});
    const auto why = rounds.run();
    other.end_session(CampaignState::interrupted);
    if (hearing.heard.empty() || hearing.heard[0].find("on the 2 others") == std::string::npos) return 98;
    return static_cast<int>(why);
  });
  EXPECT_EQ(status_of(slow), static_cast<int>(StopReason::slow));
  const auto twice = in_another("four", [](Recorder& other) {  // twice as slow is no reason
    SlowRunner runner(11, 2);
    test::Observing silent;
    return RoundLoop(other, runner, *fixed_rounds(12), silent, {}).run_round() ? 99 : 0;
  });
  EXPECT_EQ(status_of(twice), 0);
  kill(second, SIGKILL);
  status_of(second);
  EXPECT_EQ(loop.run(), StopReason::rounds);
  close(ready[0]);
  close(ready[1]);
}

/// A cheap cell beside a dear one runs several times in a round, by what the first machine's warm-up showed.
TEST_F(SharedRounds, RepeatsAreThoseOfTheFirstJudgedRound) {
  record_.design.rules.rounds_max = 12;
  Recorder recorder(record_, path());
  SlowRunner here(8);
  here.repeats = true;
  here.change = [](Trial& trial) {
    if (!trial.readings.empty()) trial.readings.front().value = trial.cell.value == 0 ? 1 : 0.1;
  };
  test::Observing nobody;
  const auto policy = until_decided(12, {});
  RoundLoop loop(recorder, here, *policy, nobody, {});
  for (int i = 0; i < 2; ++i) EXPECT_FALSE(loop.run_round());
  const auto child = in_another("two", [](Recorder& other) {
    SlowRunner alike(9);  // both cells cost the same there
    alike.repeats = true;
    test::Observing silent;
    const auto until = until_decided(12, {});
    RoundLoop rounds(other, alike, *until, silent, {});
    for (int i = 0; i < 3; ++i) rounds.run_round();
    other.end_session(CampaignState::interrupted);
    return 0;
  });
  EXPECT_EQ(status_of(child), 0);
  std::set<std::pair<std::int64_t, std::ptrdiff_t>> counts;  // session, trials of the cheap cell
  for (const auto& round : ledger::Ledger(path()).read(CampaignId{1}).log.rounds)
    if (round.role == Role::measured)
      counts.emplace(round.session.value, std::ranges::count(round.order, CellId{1}));
  ASSERT_EQ(counts.size(), 2U) << "one number in each session";
  EXPECT_GT(counts.begin()->second, 1);
  EXPECT_EQ(counts.begin()->second, counts.rbegin()->second);
}

TEST_F(SharedRounds, ASettledComparisonLeavesAtAllOfThem) {
  record_.design.rules.rounds_max = 400;
  Recorder recorder(record_, path());
  const auto child = in_another("two", [](Recorder& other) {
    SlowRunner runner(9);
    return measure(other, runner, 400);
  });
  SlowRunner runner(8);
  test::Observing nobody;
  CampaignRunner life(recorder, runner, nobody, {});
  const auto findings = life.run(*until_decided(400, {}), false);
  EXPECT_LT(status_of(child), 99);
  EXPECT_EQ(findings.findings.at(0).verdict, Verdict::worse);
  EXPECT_LT(judged_in(recorder.log()), 60U);
  EXPECT_EQ(ledger::Ledger(path()).list().front().state, CampaignState::ended);
}

}  // namespace
}  // namespace assay::engine
