// One campaign that several processes measure, in a ledger of either kind.

#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <sys/wait.h>
#include <unistd.h>

#include <csignal>
#include <map>
#include <set>

#include "assay/ledger/ledger.hpp"
#include "assay/model/error.hpp"
#include "assay/model/observations.hpp"
#include "assay/stats/random.hpp"
#include "support/message.hpp"
#include "support/postgres.hpp"
#include "support/records.hpp"
#include "support/stored.hpp"

namespace assay::ledger {
namespace {

using test::EachLedger;
using testing::ElementsAre;
using testing::HasSubstr;

class Sharing : public EachLedger {
 protected:
  void SetUp() override {
    EachLedger::SetUp();
    if (IsSkipped()) return;
    campaign_ = test::record_of({{1, 2}, {1, 2}});
    campaign_.log.rounds.clear();
    campaign_.log.trials.clear();
    campaign_.log.state = CampaignState::open;
    campaign_.log.sessions = {session_of("this machine")};
  }

  static Session session_of(const std::string& mark) {
    Session session;
    session.mark = mark;
    session.boot = boot_id();
    session.facts = {{"cores", "2"}};
    return session;
  }

  /// Another process that takes part, and does this with its ledger; its exit status.
  pid_t in_another(const std::function<void(Ledger&, SessionId)>& act) const {
    const pid_t child = fork();
    if (child != 0) return child;
    try {
      Ledger ledger(place(), Ledger::OpenMode::existing);
      const auto id = ledger.list().front().id;
      act(ledger, ledger.join(id, session_of("another machine")));
    } catch (const std::exception& error) {
      fprintf(stderr, "%s\n", error.what());
      _exit(1);
    }
    _exit(0);
  }
  static int status_of(pid_t child) {
    int status = 0;
    waitpid(child, &status, 0);
    return status;
  }

  static std::vector<std::pair<int, RoundState>> states_of(const CampaignChanges& changes) {
    std::vector<std::pair<int, RoundState>> states;
    for (const auto& round : changes.rounds) states.emplace_back(round.number, round.state);
    return states;
  }

  static Trial trial_of(int round, SessionId session, double value) {
    Trial trial{.cell = {0}, .round = round, .session = session};
    trial.readings = {{MetricId{0}, value}};
    return trial;
  }

  Record campaign_;
};

class SharingByServer : public Sharing {};

TEST_P(Sharing, EachSeesWhatOthersHaveClosed) {
  Ledger ledger(place());
  const auto id = ledger.begin(campaign_);
  EXPECT_EQ(status_of(in_another([&](Ledger& other, SessionId session) {
              for (const int round : {1, 2}) {
                const auto claimed = test::claim(other, id, session, {.order = {CellId{0}, CellId{1}}});
                if (claimed.number != round) throw Error("another number");
                other.add_trial(id, trial_of(round, session, 1.5 * round));
                other.set_round_state(id, round, RoundState::complete);
              }
              other.set_cell_status(id, CellId{1}, {StatusCode::failed, "it leaks"});
              other.set_decided(id, {{{CellId{0}, CellId{1}}}});
              other.end_session(id, session, CampaignState::interrupted);
            })),
            0);
  const auto seen = ledger.changes({.campaign = id, .session = SessionId{0}});
  EXPECT_EQ(seen.state, CampaignState::open) << "this process goes on";
  EXPECT_EQ(seen.others_at_work, 0U);
  ASSERT_EQ(seen.sessions.size(), 2U);
  EXPECT_NE(seen.sessions[SessionId{0}].machine, seen.sessions[SessionId{1}].machine);
  EXPECT_THAT(states_of(seen),
              ElementsAre(std::pair(1, RoundState::complete), std::pair(2, RoundState::complete)));
  ASSERT_EQ(seen.trials.size(), 2U);
  EXPECT_EQ(seen.trials[1].readings.front().value, 3);
  EXPECT_EQ(seen.statuses.at(1), (CellStatus{StatusCode::failed, "it leaks"}));
  EXPECT_THAT(seen.decided, ElementsAre(Comparison{CellId{0}, CellId{1}}));
  const auto later =
      ledger.changes({.campaign = id, .session = SessionId{0}, .from_round = 2, .sessions = 2});
  EXPECT_TRUE(later.sessions.empty());
  EXPECT_EQ(later.rounds.size(), 1U);
  EXPECT_EQ(later.trials.size(), 1U);
}

TEST_P(Sharing, NumbersHaveNoGapsAndNobodyHasAnothers) {
  Ledger ledger(place());
  const auto id = ledger.begin(campaign_);
  constexpr int processes = 4, each = 12;
  std::vector<pid_t> children;
  for (int i = 0; i < processes; ++i)
    children.push_back(in_another([&](Ledger& other, SessionId session) {
      for (int k = 0; k < each; ++k) {
        const auto round = test::claim(other, id, session, {.order = {CellId{0}, CellId{1}}});
        other.add_trial(id, trial_of(round.number, session, round.number));
        if (!other.set_round_state(id, round.number, RoundState::complete)) throw Error("it was aborted");
      }
      other.end_session(id, session, CampaignState::interrupted);
    }));
  for (const auto child : children) EXPECT_EQ(status_of(child), 0);
  const auto record = ledger.read(id);
  ASSERT_EQ(record.log.rounds.size(), std::size_t{processes * each});
  std::map<std::int64_t, int> of_session;
  for (std::size_t i = 0; i < record.log.rounds.size(); ++i) {
    EXPECT_EQ(record.log.rounds[i].number, static_cast<int>(i) + 1);
    ++of_session[record.log.rounds[i].session.value];
  }
  EXPECT_EQ(of_session.size(), std::size_t{processes});
  for (const auto& trial : record.log.trials)
    EXPECT_EQ(trial.session, record.log.rounds.at(static_cast<std::size_t>(*trial.round) - 1).session);
  EXPECT_EQ(record.log.sessions.size(), std::size_t{processes + 1});
}

TEST_P(Sharing, ARoundOfAProcessThatWasKilledIsGivenUp) {
  Ledger ledger(place());
  const auto id = ledger.begin(campaign_);
  int ready[2];
  ASSERT_EQ(pipe(ready), 0);
  const auto child = in_another([&](Ledger& other, SessionId session) {
    const auto round = test::claim(other, id, session);
    other.add_trial(id, trial_of(round.number, session, 1));
    if (write(ready[1], "x", 1) != 1) throw Error("nobody waits");
    pause();
  });
  char byte = 0;
  ASSERT_EQ(read(ready[0], &byte, 1), 1);
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
  close(ready[0]);
  close(ready[1]);
}

TEST_P(Sharing, ARoundThatShowsNothingForTooLongIsGivenUp) {
  Ledger ledger(place());
  const auto id = ledger.begin(campaign_);
  int ready[2];
  ASSERT_EQ(pipe(ready), 0);
  const auto child = in_another([&](Ledger& other, SessionId session) {
    test::claim(other, id, session);
    if (write(ready[1], "x", 1) != 1) throw Error("nobody waits");
    pause();
  });
  char byte = 0;
  ASSERT_EQ(read(ready[0], &byte, 1), 1);
  const KnownCampaign known{.campaign = id, .session = SessionId{0}};
  EXPECT_THAT(states_of(ledger.changes(known)), ElementsAre(std::pair(1, RoundState::open)));
  sql("UPDATE round SET due = heard - 1");
  EXPECT_THAT(states_of(ledger.changes(known)), ElementsAre(std::pair(1, RoundState::aborted)));
  kill(child, SIGKILL);
  status_of(child);
  close(ready[0]);
  close(ready[1]);
}

TEST_P(Sharing, NoRoundIsBegunInACampaignThatWasClosedOrHasEnded) {
  Ledger ledger(place());
  const auto id = ledger.begin(campaign_);
  test::claim(ledger, id, SessionId{0});
  ledger.close_campaign(id);
  const auto plan = [](int, const CampaignChanges&) { return std::optional(RoundPlan{}); };
  EXPECT_TRUE(ledger.set_round_state(id, 1, RoundState::complete)) << "what is under way is finished";
  EXPECT_FALSE(ledger.claim_round({.campaign = id, .session = SessionId{0}}, 60, plan));
  EXPECT_TRUE(ledger.changes({.campaign = id, .session = SessionId{0}}).is_closing);
  EXPECT_NE(status_of(in_another([](Ledger&, SessionId) {})), 0);
  ledger.end_session(id, SessionId{0}, CampaignState::ended);
  EXPECT_EQ(ledger.list().front().state, CampaignState::ended);
  EXPECT_THAT(test::message_of([&] { ledger.join(id, session_of("x")); }), HasSubstr("has ended"));
}

TEST_P(Sharing, AClosedCampaignThatNobodyMeasuresHasEnded) {
  Ledger ledger(place());
  const auto id = ledger.begin(campaign_);
  test::claim(ledger, id, SessionId{0});
  ledger.end_session(id, SessionId{0}, CampaignState::open);
  EXPECT_EQ(ledger.list().front().state, CampaignState::open);
  ledger.close_campaign(id);
  EXPECT_EQ(ledger.list().front().state, CampaignState::ended);
  EXPECT_EQ(ledger.read(id).log.rounds.front().state, RoundState::aborted);
}

TEST_P(Sharing, WhoFindsNobodyAtWorkGoesOnAlone) {
  Ledger ledger(place());
  const auto id = ledger.begin(campaign_);
  test::claim(ledger, id, SessionId{0});
  ledger.end_session(id, SessionId{0}, CampaignState::interrupted);
  EXPECT_EQ(ledger.list().front().state, CampaignState::interrupted);
  EXPECT_EQ(status_of(in_another([&](Ledger& other, SessionId session) {
              if (session.value != 1) throw Error("another number");
              if (test::claim(other, id, session).number != 2) throw Error("another round");
              other.end_session(id, session, CampaignState::ended);
            })),
            0);
  EXPECT_EQ(ledger.list().front().state, CampaignState::ended);
}

TEST_P(Sharing, ACampaignThatOthersMeasureIsNotGoneOnWithAlone) {
  Ledger ledger(place());
  const auto id = ledger.begin(campaign_);
  const pid_t child = fork();
  if (child == 0) {
    Ledger other(place(), Ledger::OpenMode::existing);
    _exit(test::code_of([&] { other.add_session(id, session_of("x")); }) == Error::Code::in_use ? 0 : 1);
  }
  EXPECT_EQ(status_of(child), 0);
}

INSTANTIATE_TEST_SUITE_P(Ledgers, Sharing, testing::Values("SQLite", "PostgreSQL"),
                         [](const auto& which) { return std::string(which.param); });

INSTANTIATE_TEST_SUITE_P(Ledgers, SharingByServer, testing::Values("PostgreSQL"),
                         [](const auto& which) { return std::string(which.param); });

TEST(SharedFile, ServesOneMachine) {
  const test::Scratch scratch;
  auto record = test::record_of({{1, 2}, {1, 2}});
  record.log.state = CampaignState::open;
  record.log.sessions[SessionId{0}].boot = "another boot";
  Ledger ledger(scratch.path("ledger.db"));
  const auto id = ledger.begin(record);
  Session here;
  here.boot = boot_id();
  EXPECT_THAT(test::message_of([&] { ledger.join(id, here); }), HasSubstr("a file serves one"));
}

/// A process that measures while its server is cut off and comes back.
TEST_P(SharingByServer, ARestartOfTheServerCostsNoRound) {
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
TEST_P(Sharing, KilledAtAnyMomentNothingIsLostOrCountedTwice) {
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

}  // namespace
}  // namespace assay::ledger
