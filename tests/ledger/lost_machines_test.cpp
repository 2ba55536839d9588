// Machines of a shared campaign that are killed, hang, or lose their server.

#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <unistd.h>

#include <csignal>
#include <cstdlib>
#include <map>
#include <set>
#include <string>

#include "assay/ledger/ledger.hpp"
#include "assay/model/error.hpp"
#include "assay/model/observations.hpp"
#include "assay/stats/random.hpp"
#include "support/message.hpp"
#include "support/sharing.hpp"

namespace assay::ledger {
namespace {

using testing::ElementsAre;

class LostMachines : public test::Sharing {};
class LostServer : public test::Sharing {};

TEST_P(LostMachines, ARoundOfAProcessThatWasKilledIsGivenUp) {
  Ledger ledger(place());
  const auto id = ledger.begin(campaign_);
  const auto child = stuck_in_a_round(id, true);
  const KnownCampaign known{.campaign = id, .session = SessionId{0}};
  EXPECT_THAT(states_of(ledger.changes(known)), ElementsAre(std::pair(1, RoundState::open)))
      << "it is at work";
  EXPECT_EQ(test::code_of([&] { ledger.remove({{id}}); }), Error::Code::in_use);
  kill(child, SIGKILL);
  status_of(child);
  if (is_database()) {  // at the second look, ten seconds later: the clock of the first one is set back
    EXPECT_THAT(states_of(ledger.changes(known)), ElementsAre(std::pair(1, RoundState::open)));
    sql("UPDATE round SET doubted = doubted - 10000");
  }
  const auto seen = ledger.changes(known);
  EXPECT_THAT(states_of(seen), ElementsAre(std::pair(1, RoundState::aborted)));
  EXPECT_EQ(seen.trials.size(), 1U) << "what it stored is kept";
  EXPECT_FALSE(ledger.set_round_state(id, 1, RoundState::complete));
}

TEST_P(LostMachines, ARoundThatShowsNothingForTooLongIsGivenUp) {
  Ledger ledger(place());
  const auto id = ledger.begin(campaign_);
  const auto child = stuck_in_a_round(id, false);
  const KnownCampaign known{.campaign = id, .session = SessionId{0}};
  EXPECT_THAT(states_of(ledger.changes(known)), ElementsAre(std::pair(1, RoundState::open)));
  sql("UPDATE round SET due = heard - 1");
  EXPECT_THAT(states_of(ledger.changes(known)), ElementsAre(std::pair(1, RoundState::aborted)));
  kill(child, SIGKILL);
  status_of(child);
}

/// A process that measures while its server is cut off and comes back.
TEST_P(LostServer, ARestartOfTheServerCostsNoRound) {
  auto* server = test::PostgresServer::instance();
  Ledger ledger(place());
  const auto id = ledger.begin(campaign_);
  int to[2], from[2];
  ASSERT_EQ(pipe(to), 0);
  ASSERT_EQ(pipe(from), 0);
  const auto child = in_another([&](Ledger& other, SessionId session) {
    char byte = 0;
    const auto round = test::claim(other, id, session);
    other.add_trial(id, trial_of(round.number, session, 1));
    if (write(from[1], "x", 1) != 1 || read(to[0], &byte, 1) != 1) throw Error("nobody is there");
    auto second = trial_of(round.number, session, 2);
    second.cell = CellId{1};
    other.add_trial(id, second);
    if (!other.set_round_state(id, round.number, RoundState::complete)) throw Error("it was aborted");
  });
  char byte = 0;
  ASSERT_EQ(read(from[0], &byte, 1), 1);
  for (int i = 0; i < 3; ++i) {
    server->cut_off();
    server->start();
  }
  const KnownCampaign known{.campaign = id, .session = SessionId{0}};
  EXPECT_THAT(states_of(ledger.changes(known)), ElementsAre(std::pair(1, RoundState::open)));
  const auto locks = [&] {
    return std::stoi(
        sql("SELECT count(*) FROM pg_locks WHERE locktype = 'advisory' AND granted AND objid = 1"));
  };
  for (int i = 0; i < 3000 && locks() == 0; ++i) usleep(10'000);  // it takes its lock again
  EXPECT_EQ(locks(), 1);
  sql("UPDATE round SET doubted = doubted - 10000");
  EXPECT_THAT(states_of(ledger.changes(known)), ElementsAre(std::pair(1, RoundState::open)));
  ASSERT_EQ(write(to[1], "x", 1), 1);
  EXPECT_EQ(status_of(child), 0);
  EXPECT_THAT(states_of(ledger.changes(known)), ElementsAre(std::pair(1, RoundState::complete)));
  for (const int end : {to[0], to[1], from[0], from[1]}) close(end);
}

/// Eight processes that are killed at any moment, one after the other; each acknowledges what it has closed. ASSAY_KILLS:
/// how many kills.
TEST_P(LostMachines, KilledAtAnyMomentNothingIsLostOrCountedTwice) {
  const char* asked = std::getenv("ASSAY_KILLS");
  const int kills = asked == nullptr ? 12 : std::atoi(asked);
  constexpr int processes = 8;
  Ledger ledger(place());
  const auto id = ledger.begin(campaign_);
  int closed[2];
  ASSERT_EQ(pipe(closed), 0);
  const auto start = [&] {
    return in_another([&](Ledger& other, SessionId session) {
      while (true) {
        const auto round = test::claim(other, id, session, {.order = {CellId{0}, CellId{1}}});
        for (const int cell : {0, 1}) {
          auto trial = trial_of(round.number, session, round.number + 0.5 * cell);
          trial.cell = CellId{cell};
          other.add_trial(id, trial);
          usleep(3000);
        }
        if (!other.set_round_state(id, round.number, RoundState::complete)) continue;
        if (write(closed[1], &round.number, sizeof round.number) != sizeof round.number) _exit(1);
      }
    });
  };
  std::vector<pid_t> running;
  for (int i = 0; i < processes; ++i) running.push_back(start());
  stats::Random random(5);
  for (int i = 0; i < kills; ++i) {
    usleep(static_cast<useconds_t>(20'000 + random.below(60'000)));
    auto& child = running[random.below(processes)];
    kill(child, SIGKILL);
    status_of(child);
    child = start();
  }
  for (const auto child : running) {
    kill(child, SIGKILL);
    status_of(child);
  }
  close(closed[1]);
  std::set<int> acknowledged;
  for (int number = 0; read(closed[0], &number, sizeof number) == sizeof number;)
    EXPECT_TRUE(acknowledged.insert(number).second) << number;
  close(closed[0]);
  const KnownCampaign known{.campaign = id, .session = SessionId{0}};
  ledger.changes(known);
  if (is_database()) sql("UPDATE round SET doubted = doubted - 10000");
  ledger.changes(known);

  const auto record = ledger.read(id);
  EXPECT_GT(acknowledged.size(), 10U);
  std::map<int, int> trials;
  for (const auto& trial : record.log.trials) {
    ++trials[*trial.round];
    EXPECT_EQ(trial.readings.front().value, *trial.round + 0.5 * static_cast<double>(trial.cell.value));
  }
  for (std::size_t i = 0; i < record.log.rounds.size(); ++i) {
    const auto& round = record.log.rounds[i];
    EXPECT_EQ(round.number, static_cast<int>(i) + 1) << "a gap";
    EXPECT_NE(round.state, RoundState::open) << round.number;
    if (round.state == RoundState::complete) EXPECT_EQ(trials[round.number], 2) << round.number;
    if (acknowledged.contains(round.number)) EXPECT_EQ(round.state, RoundState::complete) << round.number;
  }
  EXPECT_GE(complete_rounds(record.log).size(), acknowledged.size());
}

INSTANTIATE_TEST_SUITE_P(Ledgers, LostMachines, testing::Values("SQLite", "PostgreSQL"),
                         [](const auto& which) { return std::string(which.param); });
INSTANTIATE_TEST_SUITE_P(Ledgers, LostServer, testing::Values("PostgreSQL"),
                         [](const auto& which) { return std::string(which.param); });

}  // namespace
}  // namespace assay::ledger
