// Connections to a server that are lost while a campaign is stored.

#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <unistd.h>

#include <stop_token>

#include "assay/ledger/ledger.hpp"
#include "assay/model/error.hpp"
#include "support/cutting.hpp"
#include "support/message.hpp"
#include "support/postgres.hpp"
#include "support/records.hpp"
#include "support/stored.hpp"

namespace assay::ledger {
namespace {

using test::Cutting;
using test::PostgresLedger;
using test::record_of;

/// All that a campaign does with its ledger; the connection is cut at messages of all kinds in turn.
TEST_F(PostgresLedger, ALostConnectionAtAnyMessageIsRepeatedAndStoresOnce) {
  make_tables();
  const test::Scratch scratch;
  auto record = record_of({{1, 2}, {1, 2}});
  const auto trials = record.log.trials;
  record.log.trials.clear();
  record.log.rounds.clear();
  record.log.state = CampaignState::open;
  int cuts = 0;
  for (int at = 8; at < 400; at += 11)  // the first ones connect
    for (const bool answered : {false, true}) {
      const Cutting cutting(scratch.path(), place_, at,
                            answered ? Cutting::What::answer : Cutting::What::message);
      record.design.uid = std::to_string(1'000'000'000'000'000 + 2 * at + (answered ? 1 : 0));
      CampaignId id;
      try {
        Ledger ledger(cutting.place());
        id = ledger.begin(record);
        for (int round = 1; round <= 3; ++round) {
          const auto claimed = test::claim(ledger, id, SessionId{0},
                                           {.role = Role::measured, .order = {CellId{0}, CellId{1}}});
          EXPECT_EQ(claimed.number, round);
          for (const auto& trial : trials)
            if (trial.round == round) ledger.add_trial(id, trial);
          ledger.set_round_state(id, round, RoundState::complete);
        }
        ledger.add_trial(id, {.cell = {0}, .role = Role::check, .output_digest = "d"});
        ledger.add_look(id, {.comparison = {CellId{0}, CellId{1}}, .number = 1});
        ledger.end_session(id, SessionId{0}, CampaignState::interrupted);
        ledger.add_session(id, record.log.sessions[SessionId{0}]);
        ledger.end_session(id, SessionId{1}, CampaignState::ended);
      } catch (const Error& error) {
        EXPECT_LT(at, 20) << error.what() << ": only a connection that was never made is an error";
        continue;
      }
      cuts += cutting.has_cut() ? 1 : 0;
      const auto back = Ledger(place_).read(id);
      EXPECT_EQ(back.log.trials.size(), 7U) << at << " " << answered;
      EXPECT_EQ(back.log.rounds.size(), 3U) << at << " " << answered;
      EXPECT_EQ(back.log.sessions.size(), 2U) << at << " " << answered;
      EXPECT_EQ(back.log.looks.size(), 1U);
      EXPECT_EQ(back.log.state, CampaignState::ended);
    }
  EXPECT_GT(cuts, 20);
}

/// The server holds the locks of a connection whose link is dead until it finds that out.
TEST_F(PostgresLedger, APulledLinkLeavesASessionAtWorkAndItsEndWaitsForNothing) {
  make_tables();
  const test::Scratch scratch;
  Cutting cutting(scratch.path(), place_, -1, Cutting::What::message);
  const auto record = test::unmeasured();
  Ledger ledger(cutting.place()), watching(place_);
  const auto id = ledger.begin(record);
  const auto locks = [&] {
    return sql("SELECT count(*) FROM pg_locks WHERE locktype = 'advisory' AND granted");
  };
  const auto holder = [&] { return sql("SELECT pid FROM pg_locks WHERE locktype = 'advisory' AND granted"); };
  const auto before = holder();
  cutting.pull_link();
  ledger.add_trial(id, {.cell = {0}, .role = Role::check, .output_digest = "d"});
  EXPECT_TRUE(watching.activity(id).is_measured());
  EXPECT_EQ(holder(), before) << "by the dead connection";
  cutting.end_stranded();
  for (int i = 0; i < 3000 && (locks() != "1" || holder() == before); ++i) usleep(10'000);
  EXPECT_NE(holder(), before) << "by the new one";
  EXPECT_TRUE(watching.activity(id).is_measured());
  cutting.pull_link();
  ledger.end_session(id, SessionId{0}, CampaignState::ended);
  EXPECT_EQ(watching.read(id).log.state, CampaignState::ended)
      << "though the server still holds a lock for it";
  EXPECT_EQ(watching.read(id).log.trials.size(), 1U);
}

TEST_F(PostgresLedger, ACrashOfTheServerLosesNothingThatWasStored) {
  make_tables();
  Ledger ledger(place_);
  const auto record = record_of({{1, 2, 3}, {1, 2, 3}});
  const auto id = ledger.begin(record);
  std::size_t stored = 0;
  for (const auto& trial : record.log.trials) {
    ledger.add_trial(id, trial);
    if (++stored % 3 != 0) continue;
    server_->cut_off();
    server_->start();
  }
  EXPECT_EQ(ledger.read(id).log.trials.size(), record.log.trials.size());
}

TEST_F(PostgresLedger, AStopEndsTheWaitForAServer) {
  make_tables();
  Ledger ledger(place_);
  const auto record = record_of({{1, 2}, {1, 2}});
  const auto id = ledger.begin(record);
  std::stop_source source;
  std::string heard;
  ledger.set_listener(
      [&](const std::string& text) {
        heard += text;
        source.request_stop();
      },
      source.get_token());
  server_->cut_off();
  EXPECT_EQ(test::code_of([&] { ledger.add_trial(id, record.log.trials[0]); }), Error::Code::ledger_away);
  server_->start();
  EXPECT_THAT(heard, testing::HasSubstr("can't be reached"));
  EXPECT_TRUE(Ledger(place_).read(id).log.trials.empty());
}

}  // namespace
}  // namespace assay::ledger
