#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <soci/soci.h>
#include <soci/sqlite3/soci-sqlite3.h>
#include <unistd.h>

#include <filesystem>
#include <fstream>
#include <sstream>

#include "assay/ledger/ledger.hpp"
#include "assay/model/error.hpp"
#include "support/message.hpp"
#include "support/stored.hpp"
#include "support/tool.hpp"

// Ledgers of older versions, and files that are none.

namespace assay::ledger {
namespace {

using test::message_of;
using test::Scratch;
using testing::HasSubstr;

/// Carries out the statements of a dump, a line each, on a new ledger.
void lay_down(const std::string& path, const std::string& dump) {
  soci::session old(*soci::factory_sqlite3(), "dbname=" + path);
  std::istringstream statements(test::read_file(ASSAY_SOURCE "/tests/reference/" + dump));
  for (std::string statement; std::getline(statements, statement);)
    if (!statement.empty()) old << statement;
}

/// A ledger of an older version, brought to this one.
Ledger updated(const Scratch& scratch, const std::string& dump) {
  lay_down(scratch.path("old.db"), dump);
  return Ledger(scratch.path("old.db"), Ledger::OpenMode::existing);
}

TEST(Ledger, OneOfVersion1IsBroughtToThisOne) {
  const Scratch scratch;
  const auto path = scratch.path("old.db");
  lay_down(path, "ledger-1.sql");
  const auto is_as_it_was = [](const Record& record) {
    EXPECT_EQ(record.design.rules.way, Way::abreast);
    EXPECT_EQ(record.design.candidates[CandidateId{1}].name, "heap");
    EXPECT_TRUE(record.log.ways.empty());
  };
  std::filesystem::permissions(path, std::filesystem::perms::owner_read);
  if (geteuid() != 0)
    EXPECT_THAT(message_of([&] { Ledger ledger(path, Ledger::OpenMode::existing); }),
                HasSubstr("can't be written"));
  std::filesystem::permissions(path, std::filesystem::perms::owner_all);
  {
    Ledger ledger(path, Ledger::OpenMode::existing);
    is_as_it_was(ledger.read(ledger.list().at(0).id));
    ledger.add_way_choice(ledger.list().at(0).id, {.way = Way::turns});
  }
  Ledger again(path, Ledger::OpenMode::existing);
  EXPECT_EQ(again.read(again.list().at(0).id).log.ways.size(), 1U);
}

TEST(Ledger, OneOfVersion2IsBroughtToThisOne) {
  const Scratch scratch;
  auto ledger = updated(scratch, "ledger-2.sql");
  const auto id = ledger.list().at(0).id;
  EXPECT_EQ(ledger.read(id).design.candidates[CandidateId{1}].name, "heap");
  EXPECT_TRUE(ledger.read(id).log.samples.empty());
  CodeSampleLog samples;
  samples.code.add({.name = "haul", .file = "/towpath/list"});
  samples.trials = {
      {.cell = CellId{0}, .round = 1, .period = 1e-3, .cpu = 1, .counts = {{CodeId{0}, {}, 5}}}};
  ledger.set_code_samples(id, samples);
  EXPECT_EQ(ledger.read(id).log.samples.trials.at(0).counts.at(0).samples, 5);
}

TEST(Ledger, OneOfVersion3IsBroughtToThisOne) {
  const Scratch scratch;
  auto ledger = updated(scratch, "ledger-3.sql");
  const auto id = ledger.list().at(0).id;
  auto samples = ledger.read(id).log.samples;
  ASSERT_EQ(samples.trials.size(), 1U);
  EXPECT_EQ(samples.trials[0].counts.at(0).samples, 8);
  EXPECT_FALSE(samples.trials[0].counts.at(0).library);
  samples.trials[0].counts.push_back({CodeId{0}, CodeId{0}, 2});
  ledger.set_code_samples(id, samples);
  EXPECT_EQ(ledger.read(id).log.samples.trials[0].counts.at(1).library, CodeId{0});
}

TEST(Ledger, OneOfVersion4IsBroughtToThisOne) {
  const Scratch scratch;
  auto ledger = updated(scratch, "ledger-4.sql");
  const auto id = ledger.list().at(0).id;
  const auto before = ledger.read(id);
  ASSERT_EQ(before.log.rounds.size(), 3U);
  EXPECT_EQ(before.log.rounds.back().state, RoundState::open) << "it was cut off";
  EXPECT_EQ(before.design.candidates[CandidateId{1}].name, "heap");
  const auto own = ledger.join(id, Session{});
  EXPECT_EQ(own.value, 1);
  EXPECT_EQ(ledger.read(id).log.rounds.back().state, RoundState::aborted);
  EXPECT_EQ(test::claim(ledger, id, own).number, 9);
  EXPECT_TRUE(ledger.set_round_state(id, 9, RoundState::complete));
  ledger.end_session(id, own, CampaignState::ended);
  EXPECT_EQ(ledger.read(id).log.state, CampaignState::ended);
}

TEST(Ledger, OneOfVersion5IsBroughtToThisOne) {
  const Scratch scratch;
  auto ledger = updated(scratch, "ledger-5.sql");
  const auto id = ledger.list().at(0).id;
  const auto before = ledger.read(id);
  EXPECT_EQ(before.design.kind, CampaignKind::history);
  EXPECT_EQ(before.design.candidates[CandidateId{1}].from.exe_digest, "d1");
  EXPECT_EQ(before.design.candidates[CandidateId{1}].from.loaded_digest, "");
  EXPECT_EQ(before.design.builds.size(), 3U);
  ASSERT_EQ(ledger.list({.commit = std::string(40, '2')}).size(), 1U);
  EXPECT_TRUE(ledger.history_values("reference", 1).empty());
  ledger.keep_history_values({{{id, "values"}}}, "reference", 1);
  EXPECT_EQ(ledger.history_values("reference", 1).at(id), "values");
  ledger.remove({{id}});
  EXPECT_TRUE(ledger.history_values("reference", 1).empty());
}

TEST(Ledger, RefusesFilesThatAreNotOursAndLeavesThemAlone) {
  const Scratch scratch;
  const auto text = scratch.file("notes.db", "some notes that are longer than sixteen bytes");
  EXPECT_THAT(message_of([&] { Ledger ledger(text); }), HasSubstr("not a ledger"));
  EXPECT_THAT(test::read_file(text), HasSubstr("some notes"));

  soci::session other(*soci::factory_sqlite3(), "dbname=" + scratch.path("other.db"));
  other << "CREATE TABLE boats (name TEXT)";
  EXPECT_THAT(message_of([&] { Ledger ledger(scratch.path("other.db")); }),
              HasSubstr("a database of something else"));

  { Ledger ledger(scratch.path("newer.db")); }
  soci::session newer(*soci::factory_sqlite3(), "dbname=" + scratch.path("newer.db"));
  newer << "UPDATE ledger_version SET version = 999";
  EXPECT_THAT(message_of([&] { Ledger ledger(scratch.path("newer.db")); }),
              HasSubstr("written by a newer Assay (its version is 999"));

  soci::session older(*soci::factory_sqlite3(), "dbname=" + scratch.path("older.db"));
  older << "CREATE TABLE ledger_info (version INTEGER NOT NULL)";
  EXPECT_THAT(message_of([&] { Ledger ledger(scratch.path("older.db")); }),
              HasSubstr("written by a development version of Assay and can't be read any more"));

  EXPECT_THAT(message_of([&] { Ledger ledger(scratch.path("none.db"), Ledger::OpenMode::existing); }),
              HasSubstr("there is no ledger"));
  EXPECT_THAT(message_of([&] { Ledger ledger("/proc/nowhere/ledger.db"); }), HasSubstr("/proc/nowhere"));
}

}  // namespace
}  // namespace assay::ledger
