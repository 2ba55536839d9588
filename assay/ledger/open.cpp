#include <soci/sqlite3/soci-sqlite3.h>

#include <array>
#include <cstring>
#include <filesystem>
#include <fstream>

#include "assay/ledger/ledger.hpp"
#include "assay/ledger/schema.hpp"
#include "assay/ledger/state.hpp"

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

int stored_version(soci::session& sql, const std::string& path) {
  int tables = 0, ours = 0, version = 0;
  sql << "SELECT count(*), coalesce(sum(name = 'ledger_info'), 0) FROM sqlite_master WHERE type = 'table'",
      soci::into(tables), soci::into(ours);
  if (tables == 0) return 0;
  if (ours == 0) throw Error("this is a database of something else, not a ledger", path, "name another file");
  sql << "SELECT max(version) FROM ledger_info", soci::into(version);
  if (version > Ledger::version)
    throw Error("this ledger was written by a newer Assay (its version is " + std::to_string(version) +
                    ", this program knows " + std::to_string(Ledger::version) + ")",
                path, "use the newer program, or another ledger");
  return version;
}

}  // namespace

void Ledger::State::fail(const std::exception& error) const {
  const std::string text = error.what();
  const auto has = [&](const char* part) { return text.find(part) != std::string::npos; };
  if (has("full"))
    throw Error("the disk is full: the last trial could not be stored", path,
                "make room and measure again; what was stored before is safe");
  if (has("locked"))
    throw Error("another process keeps the ledger locked", path, "wait for it, or name another ledger");
  if (has("readonly") || has("unable to open"))
    throw Error("the ledger can't be written here", path,
                "look at the permissions of the file and its folder");
  if (has("not a database") || has("malformed"))
    throw Error("the ledger is damaged", path, "restore it from a copy, or move it away to start a new one");
  throw Error("the ledger could not be used: " + text, path);
}

Ledger::Ledger(const std::string& path, Opening opening) : state_(std::make_unique<State>()) {
  state_->path = path;
  std::error_code failed;
  if (opening == Opening::existing && !fs::exists(path, failed))
    throw Error("there is no ledger", path, "measure something first: assay duel, or assay run");
  if (path.find('"') != std::string::npos) throw Error("a ledger's path can't hold quotes", path);
  if (const auto folder = fs::path(path).parent_path(); !folder.empty()) {
    fs::create_directories(folder, failed);
    if (failed) throw Error("the ledger's folder can't be made: " + failed.message(), folder.string());
  }
  refuse_other_files(path);
  try {
    auto& sql = state_->sql;
    sql.open(*soci::factory_sqlite3(), "dbname=\"" + path + "\" timeout=10 synchronous=full");
    const int found = stored_version(sql, path);
    std::string mode;
    sql << "PRAGMA journal_mode=WAL", soci::into(mode);
    sql << "PRAGMA foreign_keys=ON";
    if (found == 0)
      state_->transact([&] {
        for (const auto statement : schema()) sql << std::string(statement);
      });
    for (int from = found; from > 0 && from < version; ++from)
      state_->transact([&] {
        for (const auto statement : migration(from)) sql << std::string(statement);
      });
  } catch (const soci::soci_error& error) {
    state_->fail(error);
  }
}

Ledger::~Ledger() = default;
Ledger::Ledger(Ledger&&) noexcept = default;
Ledger& Ledger::operator=(Ledger&&) noexcept = default;

const std::string& Ledger::path() const { return state_->path; }

}  // namespace assay::ledger
