// What holds for ledgers on a PostgreSQL server alone.

#include "support/postgres.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <sys/wait.h>
#include <unistd.h>

#include <bit>
#include <random>

#include "assay/ledger/ledger.hpp"
#include "assay/model/error.hpp"
#include "support/message.hpp"
#include "support/records.hpp"
#include "support/stored.hpp"

namespace assay::ledger {
namespace {

using test::code_of;
using test::message_of;
using test::PostgresLedger;
using test::PostgresServer;
using test::record_of;
using test::store;
using testing::HasSubstr;

TEST_F(PostgresLedger, ItsTablesAreMadeWhenThatIsAskedForOnly) {
  EXPECT_EQ(code_of([&] { Ledger ledger(place_); }), Error::Code::ledger_missing);
  EXPECT_THAT(message_of([&] { Ledger ledger(place_); }), HasSubstr("assay ledger update"));
  make_tables();
  make_tables();
  EXPECT_TRUE(Ledger(place_).list().empty());
  sql("UPDATE ledger_version SET version = 3");
  EXPECT_EQ(code_of([&] { Ledger ledger(place_); }), Error::Code::ledger_older);
  sql("UPDATE ledger_version SET version = 999");
  EXPECT_EQ(code_of([&] { Ledger ledger(place_); }), Error::Code::ledger_newer);
  const auto other = server_->new_database();
  server_->sql(other, "CREATE TABLE boats (name TEXT)");
  EXPECT_THAT(message_of([&] { Ledger ledger(other, Ledger::OpenMode::update); }),
              HasSubstr("something else"));
}

TEST_F(PostgresLedger, OneOfManyMakesTheTables) {
  std::vector<pid_t> children;
  for (int i = 0; i < 8; ++i)
    if (children.push_back(fork()); children.back() == 0) {
      try {
        make_tables();
        _exit(0);
      } catch (const std::exception& error) {
        fprintf(stderr, "%s\n", error.what());
        _exit(1);
      }
    }
  for (const auto child : children) {
    int status = 1;
    waitpid(child, &status, 0);
    EXPECT_EQ(status, 0);
  }
  EXPECT_EQ(sql("SELECT count(*) FROM ledger_version"), "1");
}

TEST_F(PostgresLedger, EachRoleMayWhatItShould) {
  sql("DO $$ BEGIN IF NOT EXISTS (SELECT FROM pg_roles WHERE rolname = 'assay_reader') THEN"
      " CREATE ROLE assay_reader NOLOGIN; CREATE ROLE assay_runner NOLOGIN;"
      " CREATE ROLE ann LOGIN IN ROLE assay_runner; CREATE ROLE board LOGIN IN ROLE assay_reader;"
      " CREATE ROLE stranger LOGIN; END IF; END $$");
  make_tables();
  const auto runner = PostgresServer::as_user(place_, "ann"),
             reader = PostgresServer::as_user(place_, "board");
  auto record = record_of({{1, 2, 3}, {1, 2, 3}});
  test::add_samples(record);
  CampaignId id;
  {
    Ledger ledger(runner, Ledger::OpenMode::existing);
    id = store(ledger, record);
    ledger.set_label(id, "before");
    ledger.set_cell_status(id, CellId{1}, {StatusCode::failed, "it leaks"});
    ledger.add_session(id, record.log.sessions[SessionId{0}]);
    test::claim(ledger, id, SessionId{1});
    ledger.set_round_state(id, 5, RoundState::aborted);
    ledger.end_session(id, SessionId{1}, CampaignState::ended);
    ledger.set_code_samples(id, record.log.samples);
    EXPECT_EQ(code_of([&] { ledger.remove({{id}}); }), Error::Code::ledger_read_only);
    EXPECT_EQ(code_of([&] { ledger.compact(id, "x"); }), Error::Code::ledger_read_only);
  }
  Ledger seen(reader, Ledger::OpenMode::existing);
  EXPECT_EQ(seen.read(id).log.trials.size(), record.log.trials.size());
  EXPECT_EQ(code_of([&] { seen.set_label(id, "mine"); }), Error::Code::ledger_read_only);
  EXPECT_EQ(code_of([&] { seen.begin(record); }), Error::Code::ledger_read_only);
  EXPECT_EQ(code_of([&] { Ledger none(PostgresServer::as_user(place_, "stranger")); }),
            Error::Code::ledger_read_only);
  EXPECT_EQ(code_of([&] { Ledger none(PostgresServer::as_user(place_, "nobody_here")); }),
            Error::Code::ledger_refused);
  for (const char* change :
       {"UPDATE trial SET exit_status = 0", "DELETE FROM look", "UPDATE campaign SET plan = ''"})
    EXPECT_THROW(server_->sql(runner, change), std::runtime_error) << change;
  Ledger(place_).remove({{id}});
}

TEST_F(PostgresLedger, EveryMemberOfItsOwnersMayUpdateIt) {
  sql("DO $$ BEGIN IF NOT EXISTS (SELECT FROM pg_roles WHERE rolname = 'assay_owner') THEN CREATE ROLE "
      "assay_owner NOLOGIN;"
      " CREATE ROLE lock_keeper LOGIN IN ROLE assay_owner; CREATE ROLE lock_mate LOGIN IN ROLE assay_owner; "
      "END IF; END $$;"
      " GRANT CREATE ON SCHEMA public TO assay_owner");
  Ledger(PostgresServer::as_user(place_, "lock_keeper"), Ledger::OpenMode::update);
  Ledger mate(PostgresServer::as_user(place_, "lock_mate"), Ledger::OpenMode::update);
  const auto id = store(mate, record_of({{1, 2}, {1, 2}}));
  mate.remove({{id}});
  EXPECT_TRUE(mate.list().empty());
}

TEST_F(PostgresLedger, AClosedRoundStaysClosed) {
  make_tables();
  Ledger ledger(place_);
  const auto id = store(ledger, record_of({{1, 2}, {1, 2}}));
  EXPECT_FALSE(ledger.set_round_state(id, 1, RoundState::aborted));
  EXPECT_TRUE(ledger.set_round_state(id, 1, RoundState::complete));
  EXPECT_THROW(sql("UPDATE round SET state = 'open'"), std::runtime_error);
}

TEST_F(PostgresLedger, NumbersComeBackBitByBit) {
  make_tables();
  Ledger ledger(place_);
  std::mt19937_64 draw(7);
  std::vector<double> values;
  while (values.size() < 2000)
    if (const auto value = std::bit_cast<double>(draw()); std::isfinite(value)) values.push_back(value);
  const std::vector<double> few(values.begin(), values.begin() + 250);  // a round each
  const auto id = store(ledger, record_of({few, few}));
  Trial points{.cell = {0}, .role = Role::check};
  for (const double value : values) points.series.push_back({MetricId{0}, value, value});
  ledger.add_trial(id, points);
  const auto back = ledger.read(id).log.trials;
  ASSERT_EQ(back.size(), 2 * few.size() + 3);
  for (std::size_t i = 0; i < few.size(); ++i) EXPECT_EQ(back[2 + 2 * i].readings.at(0).value, few[i]);
  for (std::size_t i = 0; i < values.size(); ++i) {
    EXPECT_EQ(back.back().series[i].value, values[i]);
    EXPECT_EQ(back.back().series[i].at, values[i]);
  }
}

TEST_F(PostgresLedger, HostileTextsComeBack) {
  make_tables();
  Ledger ledger(place_);
  auto record = record_of({{1, 2}, {1, 2}});
  const std::string hostile = "a\tb\nc\\d\r'; DROP TABLE trial; -- \\. \\N {1,\"2\"} :name é 🚢";
  record.design.title = record.design.candidates[CandidateId{1}].name = hostile;
  test::add_samples(record);
  record.log.samples.code[CodeId{0}].name = hostile;
  record.log.samples.remarks = {hostile};
  const auto id = ledger.add_whole(record);
  const auto back = ledger.read(id);
  EXPECT_EQ(back.design.title, hostile);
  EXPECT_EQ(back.design.candidates[CandidateId{1}].name, hostile);
  EXPECT_EQ(back.log.samples.code[CodeId{0}].name, hostile);
  EXPECT_EQ(back.log.samples.remarks.at(0), hostile);
}

}  // namespace
}  // namespace assay::ledger
