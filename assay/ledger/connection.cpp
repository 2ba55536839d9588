#include "assay/ledger/connection.hpp"

#include <array>
#include <cstring>
#include <filesystem>
#include <fstream>

#include "assay/ledger/ledger.hpp"
#include "assay/ledger/schema.hpp"
#include "assay/model/error.hpp"

namespace assay::ledger {
namespace fs = std::filesystem;
namespace {

void refuse_other_files(const std::string& path) {
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
      fs::create_directories(folder, failed);
      if (failed)
        throw Error("the ledger's folder can't be made: " + failed.message(), folder.string(), {},
                    Error::Code::ledger_read_only);
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
    if (stored_version() != 0) return;
    for (const auto statement : schema()) sql_ << dialect_->translate(statement);
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
      throw Error("the ledger could not be used: " + std::string(error.what()), path_, {}, code);
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

}  // namespace assay::ledger
