// One campaign that several processes measure, in a ledger of either kind.

#include "support/sharing.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <unistd.h>

#include <map>

#include "assay/ledger/ledger.hpp"
#include "assay/model/error.hpp"
#include "support/message.hpp"

namespace assay::ledger {
namespace {

using test::session_on;
using testing::ElementsAre;
using testing::HasSubstr;

class Sharing : public test::Sharing {};

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
  EXPECT_THAT(test::message_of([&] { ledger.join(id, session_on("x")); }), HasSubstr("has ended"));
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
    _exit(test::code_of([&] { other.add_session(id, session_on("x")); }) == Error::Code::in_use ? 0 : 1);
  }
  EXPECT_EQ(status_of(child), 0);
}

/// Images of containers may share a machine's id.
class SharingByServer : public Sharing {};

TEST_P(SharingByServer, MachinesOfOneMarkAreToldApartByTheirBoot) {
  Ledger ledger(place());
  const auto id = ledger.begin(campaign_);
  const auto twin_joins = [&] {
    EXPECT_EQ(status_of(in_another([&](Ledger& other, SessionId session) {
                other.end_session(id, session, CampaignState::interrupted);
                auto twin = session_on("this machine");
                twin.boot = "another boot";
                other.end_session(id, other.join(id, twin), CampaignState::interrupted);
              })),
              0);
  };
  twin_joins();
  ledger.end_session(id, SessionId{0}, CampaignState::interrupted);
  twin_joins();
  const auto sessions = ledger.read(id).log.sessions;
  ASSERT_EQ(sessions.size(), 5U);
  EXPECT_NE(sessions[SessionId{2}].machine, sessions[SessionId{0}].machine);
  EXPECT_EQ(sessions[SessionId{4}].machine, sessions[SessionId{2}].machine)
      << "the same one, when it comes back";
  const auto here = ledger.join(id, session_on("this machine"));
  EXPECT_EQ(ledger.read(id).log.sessions[here].machine, sessions[SessionId{0}].machine);
}

INSTANTIATE_TEST_SUITE_P(Ledgers, SharingByServer, testing::Values("PostgreSQL"),
                         [](const auto& which) { return std::string(which.param); });
INSTANTIATE_TEST_SUITE_P(Ledgers, Sharing, testing::Values("SQLite", "PostgreSQL"),
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

}  // namespace
}  // namespace assay::ledger
