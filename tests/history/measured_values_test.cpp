// What a history knows of its campaigns, and what a ledger keeps of it.

#include "assay/history/measured_values.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "assay/judge/judge.hpp"
#include "assay/ledger/ledger.hpp"
#include "assay/model/error.hpp"
#include "support/postgres.hpp"
#include "support/records.hpp"
#include "support/stored.hpp"

namespace assay::history {
namespace {

using test::PostgresServer;

/// A campaign of a history: the reference and a commit, in so many whole rounds, one in ten of them slow.
Record measured(std::size_t rounds, CampaignState state, double slower = 1.2,
                const std::string& uid = "0123") {
  std::vector<double> before, after;
  for (std::size_t i = 0; i < rounds; ++i) {
    const double noise = 0.01 * static_cast<double>(i * i % 7) + (i % 10 == 3 ? 0.5 : 0);
    before.push_back(1 + noise);
    after.push_back(slower + 0.01 * static_cast<double>(i * 5 % 11));
  }
  auto record = test::record_of({before, after});
  record.design.uid = uid;
  record.design.kind = CampaignKind::history;
  record.design.candidates[CandidateId{0}].from = {.exe_digest = "p", .commit = "c0"};
  record.design.candidates[CandidateId{1}].from.commit = "c1";
  record.log.state = state;
  record.log.sessions[SessionId{0}].facts = {{"fingerprint", "barge"}};
  return record;
}

MeasuredValues values_of(const Record& record) {
  MeasuredValues values;
  add_record(values, record, "c0");
  return values;
}

TEST(MeasuredValues, ACampaignThatWasCutOffBeforeItCouldDecideHasTriedNothing) {
  const auto tried = [](const Record& record) { return values_of(record).tried.size(); };
  EXPECT_EQ(tried(measured(3, CampaignState::interrupted)), 0U);
  EXPECT_EQ(tried(measured(0, CampaignState::open)), 0U);
  EXPECT_EQ(tried(measured(0, CampaignState::ended)), 0U);
  EXPECT_EQ(tried(measured(6, CampaignState::interrupted)), 1U);
  EXPECT_EQ(tried(measured(3, CampaignState::ended)), 1U);
  auto broken = measured(0, CampaignState::interrupted);
  broken.log.status_changes.push_back(
      {.cell = CellId{1}, .status = {StatusCode::failed, "it does not build"}});
  EXPECT_EQ(tried(broken), 1U) << "that it does not build is an answer";
}

TEST(MeasuredValues, EachKindOfMachineHasAValueOfItsOwn) {
  auto record = measured(20, CampaignState::ended);
  record.log.sessions.add({.machine = MachineId{1}, .mark = "m", .facts = {{"fingerprint", "lock"}}});
  record.log.sessions.add({.machine = MachineId{2}, .mark = "n", .facts = {{"fingerprint", "weir"}}});
  // Rounds 9 and above on a machine that is twice as slow, and on which the change is less; one on a third.
  const auto session_of = [](int round) { return SessionId{round == 21 ? 2 : round > 8 ? 1 : 0}; };
  for (auto& round : record.log.rounds) round.session = session_of(round.number);
  for (auto& trial : record.log.trials) {
    trial.session = session_of(*trial.round);
    if (trial.session.value == 1) trial.readings[0].value = trial.cell.value == 0 ? 2 : 2.1;
  }
  const auto values = values_of(record).values;
  ASSERT_EQ(values.size(), 2U) << "one round is too few for a third";
  EXPECT_EQ(values[0].machine, "barge");
  EXPECT_EQ(values[0].environment, "barge/p");
  EXPECT_EQ(values[0].rounds, 7U);
  EXPECT_NEAR(values[0].effect.value, 1.2, 0.1);
  EXPECT_EQ(values[1].machine, "lock");
  EXPECT_EQ(values[1].rounds, 12U);
  EXPECT_NEAR(values[1].effect.value, 1.05, 1e-9);

  for (auto& session : record.log.sessions) session.facts = {{"fingerprint", "barge"}};
  const auto alike = values_of(record).values;
  ASSERT_EQ(alike.size(), 1U);
  EXPECT_EQ(alike[0].rounds, 20U);
}

TEST(MeasuredValues, ComeBackFromTheirText) {
  auto record = measured(20, CampaignState::ended);
  record.design.kind = CampaignKind::step;
  const auto pairs = values_of(record);
  ASSERT_EQ(pairs.pairs.size(), 1U);
  record.design.kind = CampaignKind::history;
  auto none = measured(2, CampaignState::ended);
  none.design.candidates[CandidateId{1}].from.commit = "c2";
  none.log.status_changes.push_back({.cell = CellId{1}, .status = {StatusCode::failed, "it leaks"}});
  for (const auto& values : {values_of(record), pairs, values_of(none)}) {
    const auto text = serialize(values, "c0");
    MeasuredValues back;
    deserialize(back, text, "c0");
    EXPECT_EQ(serialize(back, "c0"), text);
    MeasuredValues other;
    deserialize(other, text, "another reference");
    EXPECT_EQ(other.values.size() + other.tried.size() + other.silent.size(), 0U);
    EXPECT_EQ(other.pairs.size(), values.pairs.size()) << "a step is one whatever the reference";
  }
}

/// What version 1 of the judge made of a campaign. Where these figures change, ledgers hold values of another judge:
/// judge::version grows by one then.
TEST(MeasuredValues, AreThoseOfThisVersionOfTheJudge) {
  EXPECT_EQ(judge::version, 1);
  const auto values = values_of(measured(20, CampaignState::ended)).values;
  ASSERT_EQ(values.size(), 1U);
  EXPECT_NEAR(std::log(values[0].effect.value), 0.19217385323695, 1e-9);
  EXPECT_NEAR(std::log(values[0].interval.low), 0.17904823144899, 1e-9);
  EXPECT_NEAR(std::log(values[0].interval.high), 0.21319322046102, 1e-9);
}

class KeptValues : public test::EachLedger {
 protected:
  void add(const Record& record) const { ledger::Ledger(place()).add_whole(record); }
  std::string read(const std::string& from) const {
    return serialize(read_measured_values(from, "c0"), "c0");
  }
  std::string kept() const { return sql("SELECT count(*) FROM history_values"); }
  /// Makes a campaign unreadable.
  void damage() const {
    ledger::Ledger ledger(place());
    for (const auto& campaign : ledger.list()) EXPECT_EQ(ledger.read(campaign.id).log.trials.empty(), false);
    change("UPDATE candidate SET id = id + 7");
    for (const auto& campaign : ledger.list()) EXPECT_THROW(ledger.read(campaign.id), Error);
  }
};

TEST_P(KeptValues, WhatHasEndedIsJudgedOnce) {
  add(measured(20, CampaignState::ended, 1.2, "0001"));
  auto step = measured(20, CampaignState::ended, 1.1, "0002");
  step.design.kind = CampaignKind::step;
  add(step);
  add(measured(20, CampaignState::interrupted, 1.3, "0003"));
  const auto first = read(place());
  EXPECT_EQ(kept(), "2") << "the third may go on";
  EXPECT_EQ(read(place()), first);
  EXPECT_EQ(kept(), "2");
  EXPECT_NE(first.find("\"campaign\":\"0003\""), std::string::npos);
  EXPECT_TRUE(read_measured_values(place(), "c5").values.empty()) << "of another reference";
  change("UPDATE history_values SET judge = 0");
  EXPECT_EQ(read(place()), first) << "what another judge saw does not count";
  EXPECT_EQ(kept(), "4");
  ledger::Ledger ledger(place());
  ledger.compact(ledger.list().back().id, "x");
  EXPECT_EQ(kept(), "2") << "what a campaign is reduced to stands in its place";
}

TEST_P(KeptValues, CampaignsThatAreKeptAreNotRead) {
  for (int i = 0; i < 3; ++i) add(measured(20, CampaignState::ended, 1.2, "000" + std::to_string(i)));
  const auto first = read(place());
  damage();
  EXPECT_EQ(read(place()), first);
  ledger::Ledger ledger(place());
  const auto copy = scratch_.path("copy.db");
  ledger::Ledger to(copy);
  ledger.copy(to, {});
  EXPECT_EQ(read(copy), first) << "a copy has them too";
}

/// A file's rights are its folder's.
class KeptValuesByServer : public KeptValues {};

TEST_P(KeptValuesByServer, WhoMayNotStoreThemReadsAllTheSame) {
  add(measured(20, CampaignState::ended));
  change("CREATE ROLE bystander LOGIN");
  change("GRANT SELECT ON ALL TABLES IN SCHEMA public TO bystander");
  const auto seen = read(PostgresServer::as_user(place(), "bystander"));
  EXPECT_EQ(kept(), "0");
  EXPECT_EQ(read(place()), seen);
  EXPECT_EQ(kept(), "1");
}

INSTANTIATE_TEST_SUITE_P(Ledgers, KeptValuesByServer, testing::Values("PostgreSQL"),
                         [](const auto& which) { return std::string(which.param); });
INSTANTIATE_TEST_SUITE_P(Ledgers, KeptValues, testing::Values("SQLite", "PostgreSQL"),
                         [](const auto& which) { return std::string(which.param); });

}  // namespace
}  // namespace assay::history
