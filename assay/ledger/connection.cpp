#include "assay/ledger/connection.hpp"

#include <array>
#include <cstring>
#include <filesystem>
#include <fstream>

#include "assay/ledger/ledger.hpp"
#include "assay/model/error.hpp"
#include "assay/model/own_files.hpp"

namespace assay::ledger {

namespace fs = std::filesystem;
namespace {

void refuse_other_files(const std::string& path) {
  std::error_code unreadable;
  if (const auto status = fs::status(path, unreadable); fs::exists(status) && !fs::is_regular_file(status))
    throw Error("this is not a regular file", path, "name another one");
  std::ifstream file(path, std::ios::binary);
  std::array<char, 16> head{};
  file.read(head.data(), head.size());
  if (file.gcount() == 0) return;
  if (file.gcount() < 16 || std::memcmp(head.data(), "SQLite format 3", 16) != 0)
    throw Error("this file is not a ledger", path, "name another one, or move it away to start a new one");
}

}  // namespace

Connection::Connection(std::string path, bool create) : path_(std::move(path)) {
  std::error_code failed;
  if (!create && !fs::exists(path_, failed))
    throw Error("there is no ledger", path_, "measure something first: assay duel, or assay run",
                Error::Code::ledger_missing);
  if (create)
    if (const auto folder = fs::path(path_).parent_path(); !folder.empty()) {
      make_private_folder(folder.string());
    }
  refuse_other_files(path_);
  try {
    dialect_->connect(sql_, path_, create);
    create_tables();
  } catch (const soci::soci_error& error) {
    fail(error);
  }
}

void Connection::roll_back() {
  try {
    sql_ << "ROLLBACK";
  } catch (const soci::soci_error&) {  // it has ended by itself
  }
}

void Connection::require_writable() const {
  if (dialect_->is_read_only()) fail_read_only();
  if (!dialect_->still_exists()) fail_gone();
}

void Connection::compact() {
  try {
    dialect_->compact(sql_);
  } catch (const soci::soci_error& error) {
    if (dialect_->code_of(sql_, error) != Error::Code::ledger_full) fail(error);
  }
  dialect_->keep_reserve();
}

void Connection::check_references(bool on) {
  try {
    dialect_->check_references(sql_, on);
  } catch (const soci::soci_error& error) {
    fail(error);
  }
}

void Connection::give_up_reserve() {
  try {
    dialect_->give_up_reserve(sql_);
  } catch (const soci::soci_error& error) {
    fail(error);
  }
}

int Connection::stored_version() {
  if (!dialect_->has_table(sql_, "ledger_version")) {
    if (dialect_->has_table(sql_, "ledger_info"))
      throw Error("this ledger was written by a development version of Assay and can't be read any more",
                  path_, "move it away; a new one is made when measuring", Error::Code::ledger_older);
    if (dialect_->has_tables(sql_))
      throw Error("this is a database of something else, not a ledger", path_, "name another file");
    return 0;
  }
  int found = 0;
  sql_ << "SELECT max(version) FROM ledger_version", soci::into(found);
  if (found > Ledger::version)
    throw Error("this ledger was written by a newer Assay (its version is " + std::to_string(found) +
                    ", this program knows " + std::to_string(Ledger::version) + ")",
                path_, "use the newer program, or another ledger", Error::Code::ledger_newer);
  return found;
}

/// Makes the tables inside one transaction that reads the version again: of several processes one makes them,
/// the others find them.
void Connection::create_tables() {
  if (read([&] { return stored_version(); }) == Ledger::version) return;
  require_writable();
  write([&] {
    const int found = stored_version();
    if (found == Ledger::version) return;
    for (const auto statement : statements_from(found)) sql_ << dialect_->translate(statement);
  });
}

void Connection::fail(const std::exception& error) {
  const auto code = dialect_->code_of(sql_, error);
  switch (code) {
    case Error::Code::ledger_full:
      throw Error("the disk is full: nothing more could be stored", path_,
                  "make room and measure again; what was stored before is safe", code);
    case Error::Code::ledger_busy:
      throw Error("another process keeps the ledger locked", path_, "wait for it, or name another ledger",
                  code);
    case Error::Code::ledger_read_only:
      fail_read_only();
    case Error::Code::ledger_damaged:
      fail_damaged({});
    case Error::Code::ledger_gone:
      fail_gone();
    default:
      // Without the statement and its values, which follow.
      const std::string why = error.what();
      throw Error("the ledger could not be used: " + why.substr(0, why.find(" while executing")), path_, {},
                  code);
  }
}

void Connection::fail_gone() const {
  throw Error("the ledger was moved or deleted while it was in use: what is measured is kept nowhere", path_,
              "does a workload clean its folder? name a ledger elsewhere with --ledger",
              Error::Code::ledger_gone);
}

void Connection::fail_damaged(const std::string& what) const {
  throw Error("the ledger is damaged" + (what.empty() ? "" : ": " + what), path_,
              "restore it from a copy, or move it away to start a new one", Error::Code::ledger_damaged);
}

void Connection::fail_read_only() const {
  throw Error("the ledger can't be written here", path_, "look at the permissions of the file and its folder",
              Error::Code::ledger_read_only);
}

namespace {

constexpr std::string_view way_table =
    "CREATE TABLE way (campaign BIGINT NOT NULL REFERENCES campaign(id), workload INTEGER NOT NULL, way"
    " {text} NOT NULL, reason {text} NOT NULL, spread_in_turns DOUBLE PRECISION NOT NULL, spread DOUBLE"
    " PRECISION NOT NULL, PRIMARY KEY (campaign, workload))";

constexpr std::string_view spent_table =
    "CREATE TABLE spent (campaign BIGINT NOT NULL, cell INTEGER NOT NULL, round INTEGER NOT NULL, code "
    "INTEGER NOT NULL, library INTEGER NOT NULL, samples BIGINT NOT NULL, PRIMARY KEY (campaign, cell, round,"
    " code, library)) {clustered}";

constexpr std::array<std::string_view, 5> sample_tables = {
    "CREATE TABLE code (campaign BIGINT NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL, name {text} "
    "NOT"
    " NULL, file {text} NOT NULL, PRIMARY KEY (campaign, id))",
    "CREATE TABLE sampled (campaign BIGINT NOT NULL REFERENCES campaign(id), cell INTEGER NOT NULL, round "
    "INTEGER"
    " NOT NULL, period DOUBLE PRECISION NOT NULL, cpu DOUBLE PRECISION NOT NULL, requests DOUBLE PRECISION "
    "NOT NULL DEFAULT 0, lost BIGINT NOT NULL, "
    "PRIMARY"
    " KEY (campaign, cell, round))",
    spent_table,
    "CREATE TABLE code_match (campaign BIGINT NOT NULL REFERENCES campaign(id), baseline INTEGER NOT NULL,"
    " candidate INTEGER NOT NULL, code INTEGER NOT NULL, likeness {text} NOT NULL, baseline_in_line INTEGER,"
    " candidate_in_line INTEGER, calls_alone INTEGER NOT NULL DEFAULT 0, PRIMARY KEY (campaign, baseline, "
    "candidate, code))",
    "CREATE TABLE sample_remark (campaign BIGINT NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL, text "
    "{text}"
    " NOT NULL, PRIMARY KEY (campaign, id))"};

constexpr std::array<std::string_view, 23> statements = {
    "CREATE TABLE ledger_version (version INTEGER NOT NULL)",
    "CREATE TABLE machine (id {id}, fingerprint {text} NOT NULL, mark {text} NOT NULL DEFAULT '', UNIQUE"
    " (fingerprint, mark))",
    "CREATE TABLE campaign (id {id}, uid {text} NOT NULL UNIQUE, title {text} NOT NULL, kind {text} NOT"
    " NULL, label {text} NOT NULL, plan {text} NOT NULL, plan_digest {text} NOT NULL, seed {text} NOT"
    " NULL, state {text} NOT NULL, started BIGINT NOT NULL, margin DOUBLE PRECISION NOT NULL, rounds_min"
    " INTEGER NOT NULL, rounds_max INTEGER NOT NULL, repeat_command {text} NOT NULL, folder {text} NOT NULL "
    "DEFAULT '', confirms BIGINT REFERENCES campaign(id),"
    " next_round INTEGER NOT NULL DEFAULT 1, looked INTEGER NOT NULL DEFAULT"
    " 0, budget_ms BIGINT, opened BIGINT, upto INTEGER, closing {text} NOT NULL DEFAULT '', layouts"
    " INTEGER NOT NULL DEFAULT 0, way {text} NOT NULL DEFAULT 'turns')",
    "CREATE TABLE session (campaign BIGINT NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL,"
    " machine BIGINT NOT NULL REFERENCES machine(id), boot {text} NOT NULL, token {text}, name {text}"
    " NOT NULL DEFAULT '', started BIGINT NOT NULL, seen BIGINT NOT NULL, ready BIGINT, ended BIGINT,"
    " PRIMARY KEY (campaign, id), UNIQUE (campaign, token))",
    "CREATE TABLE fact (campaign BIGINT NOT NULL, session INTEGER NOT NULL, name {text} NOT NULL, value"
    " {text} NOT NULL, PRIMARY KEY (campaign, session, name))",
    "CREATE TABLE candidate (campaign BIGINT NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL, name"
    " {text} NOT NULL, baseline INTEGER, twin_of INTEGER, exe {text}"
    " NOT NULL, exe_digest {text} NOT NULL, commit_id {text} NOT NULL, commit_time BIGINT, identity"
    " {text} NOT NULL, compiler {text} NOT NULL, flags {text} NOT NULL, distinguishing_arguments {text} NOT "
    "NULL, PRIMARY"
    " KEY (campaign, id))",
    "CREATE TABLE built (campaign BIGINT NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL,"
    " candidate INTEGER NOT NULL, setting {text} NOT NULL, tree {text} NOT NULL, steps {text} NOT NULL,"
    " compiler {text} NOT NULL, flags {text} NOT NULL, exe_digest {text} NOT NULL, layouts INTEGER"
    " NOT NULL DEFAULT 0, layout_method {text} NOT NULL DEFAULT '', PRIMARY KEY (campaign, id))",
    "CREATE TABLE workload (campaign BIGINT NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL, name"
    " {text} NOT NULL, run {text} NOT NULL, check_warning {text} NOT NULL DEFAULT '', weight DOUBLE PRECISION"
    " NOT NULL DEFAULT 1, digest {text} NOT NULL DEFAULT '', PRIMARY KEY (campaign, id))",
    "CREATE TABLE factor (campaign BIGINT NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL, name"
    " {text} NOT NULL, role {text} NOT NULL, PRIMARY KEY (campaign, id))",
    "CREATE TABLE setting (campaign BIGINT NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL, text"
    " {text} NOT NULL, PRIMARY KEY (campaign, id))",
    "CREATE TABLE setting_value (campaign BIGINT NOT NULL, setting INTEGER NOT NULL, factor {text} NOT"
    " NULL, kind {text} NOT NULL, text {text} NOT NULL, number DOUBLE PRECISION, PRIMARY KEY (campaign,"
    " setting, factor))",
    "CREATE TABLE cell (campaign BIGINT NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL, candidate"
    " INTEGER NOT NULL, workload INTEGER NOT NULL, setting INTEGER NOT NULL, status {text} NOT NULL,"
    " detail {text} NOT NULL, PRIMARY KEY (campaign, id))",
    "CREATE TABLE comparison (campaign BIGINT NOT NULL REFERENCES campaign(id), baseline INTEGER NOT NULL,"
    " candidate INTEGER NOT NULL, decided INTEGER, PRIMARY KEY (campaign, baseline, candidate))",
    "CREATE TABLE metric (campaign BIGINT NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL, name"
    " {text} NOT NULL, unit {text} NOT NULL, direction {text} NOT NULL, scale {text} NOT NULL, subject {text}"
    " NOT NULL, exact INTEGER NOT NULL, watched INTEGER NOT NULL, margin DOUBLE PRECISION, ceiling"
    " DOUBLE PRECISION, require {text}, missing {text}, lead_in {text} NOT NULL DEFAULT '', supporting "
    "INTEGER NOT NULL DEFAULT 0,"
    " resolution_limit DOUBLE PRECISION NOT NULL DEFAULT 0, PRIMARY KEY (campaign, id))",
    "CREATE TABLE round (campaign BIGINT NOT NULL REFERENCES campaign(id), number INTEGER NOT NULL,"
    " session INTEGER NOT NULL, state {text} NOT NULL, role {text} NOT NULL DEFAULT 'measured',"
    " trial_order {text} NOT NULL, claimed BIGINT NOT NULL DEFAULT 0, heard BIGINT NOT NULL DEFAULT 0,"
    " due BIGINT NOT NULL DEFAULT 0, closed BIGINT, PRIMARY KEY (campaign, number))",
    "CREATE TABLE trial (id {id}, campaign BIGINT NOT NULL REFERENCES campaign(id), round INTEGER, cell"
    " INTEGER NOT NULL, repeat INTEGER NOT NULL DEFAULT 0, session INTEGER NOT NULL, role {text} NOT"
    " NULL, position INTEGER NOT NULL, batch INTEGER NOT NULL, calls BIGINT NOT NULL, outcome {text} NOT"
    " NULL, exit_status INTEGER NOT NULL, signal INTEGER NOT NULL, output_bytes BIGINT NOT NULL,"
    " output_digest {text} NOT NULL, latencies {text} NOT NULL DEFAULT '', orphans INTEGER NOT NULL, "
    "detail {text} NOT NULL{packed}, UNIQUE"
    " (campaign, round, cell, repeat))",
    "{reading}",
    "CREATE TABLE series (trial BIGINT NOT NULL REFERENCES trial(id), metric INTEGER NOT NULL, place"
    " INTEGER NOT NULL, at DOUBLE PRECISION, value DOUBLE PRECISION NOT NULL, PRIMARY KEY (trial,"
    " metric, place)) {clustered}",
    "CREATE TABLE checked (campaign BIGINT NOT NULL REFERENCES campaign(id), cell INTEGER NOT NULL,"
    " answer_digest {text} NOT NULL, PRIMARY KEY (campaign, cell))",
    "CREATE TABLE look (campaign BIGINT NOT NULL REFERENCES campaign(id), baseline INTEGER NOT NULL,"
    " candidate INTEGER NOT NULL, metric INTEGER NOT NULL, number INTEGER NOT NULL, rounds INTEGER NOT"
    " NULL, p DOUBLE PRECISION NOT NULL, p_equivalence DOUBLE PRECISION NOT NULL, decision {text} NOT NULL,"
    " upto INTEGER NOT NULL DEFAULT 0, decided INTEGER NOT NULL DEFAULT 0, PRIMARY KEY (campaign,"
    " baseline, candidate, metric, number))",
    "CREATE TABLE reduced (campaign BIGINT PRIMARY KEY REFERENCES campaign(id), kept {text} NOT NULL)",
    way_table,
    "INSERT INTO ledger_version (version) VALUES (4)",
};

/// From version 1, where campaigns ran in turns or abreast.
constexpr std::array<std::string_view, 5> statements_to_2 = {
    "ALTER TABLE campaign ADD COLUMN way {text} NOT NULL DEFAULT 'turns'",
    "UPDATE campaign SET way = 'abreast' WHERE abreast = 1",
    "ALTER TABLE campaign DROP COLUMN abreast",
    way_table,
    "UPDATE ledger_version SET version = 2",
};

/// From version 3, where time in libraries was that of their own functions.
constexpr std::array<std::string_view, 4> statements_from_3 = {
    "ALTER TABLE spent RENAME TO spent_before",
    spent_table,
    "INSERT INTO spent SELECT campaign, cell, round, code, -1, samples FROM spent_before",
    "DROP TABLE spent_before",
};

constexpr std::array<std::string_view, 22> campaign_tables = {
    "spent",   "sampled",  "code_match", "code",      "sample_remark", "way",    "reduced",       "look",
    "checked", "trial",    "round",      "metric",    "comparison",    "cell",   "setting_value", "setting",
    "factor",  "workload", "built",      "candidate", "fact",          "session"};

}  // namespace

std::vector<std::string_view> statements_from(int version) {
  std::vector<std::string_view> all;
  const auto add = [&](std::span<const std::string_view> some) {
    all.insert(all.end(), some.begin(), some.end());
  };
  if (version == 0) add(statements);
  if (version == 1) add(statements_to_2);
  if (version == 3)
    add(statements_from_3);
  else
    add(sample_tables);
  if (version > 0) all.emplace_back("UPDATE ledger_version SET version = 4");
  return all;
}
std::span<const std::string_view> tables_of_a_campaign() { return campaign_tables; }
std::span<const std::string_view> code_sample_tables() {
  return std::span(campaign_tables).first(sample_tables.size());
}

}  // namespace assay::ledger
