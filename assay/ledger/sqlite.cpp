#include <fcntl.h>
#include <soci/sqlite3/soci-sqlite3.h>
#include <sqlite3.h>
#include <sys/stat.h>
#include <unistd.h>

#include <array>
#include <chrono>
#include <filesystem>
#include <thread>
#include <utility>

#include "assay/ledger/connection.hpp"
#include "assay/model/own_files.hpp"

namespace assay::ledger {
namespace {

constexpr std::array<std::pair<std::string_view, std::string_view>, 5> meanings = {{
    {"{id}", "INTEGER PRIMARY KEY"},
    {"{clustered}", "WITHOUT ROWID"},
    {"{text}", "TEXT"},
    {"{packed}", ""},
    {"{reading}",
     "CREATE TABLE reading (trial BIGINT NOT NULL REFERENCES trial(id), metric INTEGER NOT NULL,"
     " value DOUBLE PRECISION NOT NULL, PRIMARY KEY (trial, metric)) WITHOUT ROWID"},
}};

/// A path as a URI's: what has a meaning there is written by its number.
std::string uri_of(const std::string& path) {
  constexpr const char* digits = "0123456789ABCDEF";
  std::string uri = "file:";
  for (const char c : std::filesystem::absolute(path).string()) {
    const auto byte = static_cast<unsigned char>(c);
    if (std::isalnum(byte) != 0 || c == '/' || c == '.' || c == '-' || c == '_')
      uri += c;
    else
      uri += {'%', digits[byte / 16], digits[byte % 16]};
  }
  return uri;
}

/// Whether a file can be made in the folder of a path: SQLite needs to, beside one that it writes.
bool is_writable(const std::string& path) {
  const auto folder = std::filesystem::absolute(path).parent_path();
  std::error_code failed;
  const bool file = !std::filesystem::exists(path, failed) || access(path.c_str(), W_OK) == 0;
  return file && access(folder.c_str(), W_OK | X_OK) == 0;
}

class Sqlite : public Dialect {
 public:
  void connect(soci::session& sql, const std::string& path, bool create) override {
    path_ = path;
    remember();
    if (create) make_private(path);
    reads_only_ = !create && !is_writable(path);
    if (reads_only_) return open_for_reading(sql);
    try {
      open_for_writing(sql);
    } catch (const soci::soci_error& error) {
      // On a full disk the files beside the database can't be made: the reserve makes room for them.
      if (!is_for_want_of_room(sql, error)) throw;
      sql.close();
      unlink(reserve().c_str());
      try {
        open_for_writing(sql);
      } catch (const soci::soci_error&) {
        if (create) throw;  // what is to be measured needs a ledger that takes it
        sql.close();
        reads_only_ = true;
        open_as(sql, "?immutable=1");
      }
    }
  }

  /// A file that cannot be written does not change: it needs no lock and no file beside it. With a journal of
  /// changes beside it, that has to be read too.
  void open_for_reading(soci::session& sql) const {
    std::error_code failed;
    open_as(sql, std::filesystem::exists(path_ + "-wal", failed) ? "?mode=ro" : "?immutable=1");
  }

  void open_as(soci::session& sql, const std::string& how) const {
    sql.open(*soci::factory_sqlite3(), "dbname=\"" + uri_of(path_) + how + "\" timeout=10");
  }

  void open_for_writing(soci::session& sql) {
    open_as(sql, {});
    // The time limit for locks holds from here on.
    log_ahead(sql);
    sql << "PRAGMA synchronous=FULL";
    sql << "PRAGMA foreign_keys=ON";
    // Pages that are given up need not be overwritten: that would take as much room as they had.
    int overwritten = 0;
    sql << "PRAGMA secure_delete=OFF", soci::into(overwritten);
    sql << "PRAGMA wal_autocheckpoint=" + std::to_string(logged_pages);
    remember();
    keep_reserve();
  }

  bool is_for_want_of_room(soci::session& sql, const soci::soci_error& error) const {
    const auto code = code_of(sql, error);
    return code == Error::Code::ledger_full || code == Error::Code::ledger_unusable ||
           code == Error::Code::ledger_gone || code == Error::Code::ledger_read_only;
  }

  /// Where several make a ledger at once, SQLite refuses the change of its journal at once, without waiting
  /// as it does for locks: it is asked again, as long as one would wait for a lock.
  void log_ahead(soci::session& sql) const {
    constexpr int most_attempts = 500;
    constexpr auto pause = std::chrono::milliseconds(20);
    for (int attempt = 1;; ++attempt) try {
        std::string mode;
        sql << "PRAGMA journal_mode=WAL", soci::into(mode);
        return;
      } catch (const soci::soci_error& error) {
        if (attempt == most_attempts || code_of(sql, error) != Error::Code::ledger_busy) throw;
        std::this_thread::sleep_for(pause);
      }
  }

  bool is_read_only() const override { return reads_only_; }

  std::string translate(std::string_view statement) const override {
    std::string text(statement);
    for (const auto& [word, meaning] : meanings)
      for (auto at = text.find(word); at != std::string::npos; at = text.find(word, at))
        text.replace(at, word.size(), meaning);
    return text;
  }

  bool has_tables(soci::session& sql) const override {
    int tables = 0;
    sql << "SELECT count(*) FROM sqlite_master WHERE type = 'table'", soci::into(tables);
    return tables > 0;
  }
  bool has_table(soci::session& sql, const std::string& name) const override {
    int tables = 0;
    sql << "SELECT count(*) FROM sqlite_master WHERE type = 'table' AND name = :n", soci::use(name),
        soci::into(tables);
    return tables > 0;
  }

  void begin_writing(soci::session& sql) const override { sql << "BEGIN IMMEDIATE"; }
  void begin_reading(soci::session& sql) const override { sql << "BEGIN"; }

  void check_references(soci::session& sql, bool on) const override {
    sql << std::string("PRAGMA foreign_keys=") + (on ? "ON" : "OFF");
  }

  void compact(soci::session& sql) const override {
    sql << "VACUUM";
    empty_log(sql);
  }

  void give_up_reserve(soci::session& sql) const override {
    unlink(reserve().c_str());
    empty_log(sql);
  }

  void keep_reserve() const override {
    std::error_code missing;
    if (reads_only_) return;
    const auto status = std::filesystem::symlink_status(reserve(), missing);
    if (std::filesystem::is_regular_file(status) &&
        std::filesystem::file_size(reserve(), missing) == reserved_bytes)
      return;
    if (std::filesystem::exists(status)) unlink(reserve().c_str());  // a link is not followed
    const int file = open_own(reserve(), O_WRONLY | O_CREAT | O_EXCL);
    if (file < 0) return;
    if (posix_fallocate(file, 0, static_cast<off_t>(reserved_bytes)) != 0) unlink(reserve().c_str());
    close(file);
  }

  Error::Code code_of(soci::session& sql, const std::exception& error) const override {
    int code = SQLITE_ERROR;
    if (const auto* own = dynamic_cast<const soci::sqlite3_soci_error*>(&error)) {
      code = own->result();
    } else if (const auto* backend = static_cast<soci::sqlite3_session_backend*>(sql.get_backend());
               backend != nullptr && backend->conn_ != nullptr) {
      code = sqlite_api::sqlite3_errcode(backend->conn_);
    }
    switch (code & 0xff) {
      case SQLITE_FULL:
        return Error::Code::ledger_full;
      case SQLITE_BUSY:
      case SQLITE_LOCKED:
        return Error::Code::ledger_busy;
      case SQLITE_READONLY:
      case SQLITE_CANTOPEN:
      case SQLITE_PERM:
        return Error::Code::ledger_read_only;
      case SQLITE_NOTADB:
      case SQLITE_CORRUPT:
        return Error::Code::ledger_damaged;
      case SQLITE_IOERR:
        return still_exists() ? Error::Code::ledger_unusable : Error::Code::ledger_gone;
      default:
        return Error::Code::ledger_unusable;
    }
  }

  std::string remedy(Error::Code code) const override {
    switch (code) {
      case Error::Code::ledger_full:
        return "make room and measure again; what was stored before is safe";
      case Error::Code::ledger_busy:
        return "wait for it, or name another ledger";
      case Error::Code::ledger_read_only:
        return "look at the permissions of the file and its folder";
      case Error::Code::ledger_damaged:
        return "restore it from a copy, or move it away to start a new one";
      default:
        return {};
    }
  }

  bool still_exists() const override {
    struct stat now {};
    return stat(path_.c_str(), &now) == 0 && now.st_ino == inode_ && now.st_dev == device_;
  }

 private:
  // What is logged is at most as much as the reserve holds: so there is always room to put it into the
  // database.
  static constexpr int logged_pages = 128;
  static constexpr std::uintmax_t reserved_bytes = 1 << 20;

  std::string reserve() const { return path_ + "-reserve"; }

  /// Puts what is logged into the database and gives the log's space back, as far as others let us.
  static void empty_log(soci::session& sql) {
    int busy = 0, logged = 0, put = 0;
    sql << "PRAGMA wal_checkpoint(TRUNCATE)", soci::into(busy), soci::into(logged), soci::into(put);
  }

  /// A new ledger is this user's alone; SQLite gives the files beside it the same permissions.
  static void make_private(const std::string& path) {
    const int file = open_own(path, O_RDWR | O_CREAT);
    if (file >= 0) close(file);
  }

  void remember() {
    struct stat now {};
    if (stat(path_.c_str(), &now) != 0) return;
    inode_ = now.st_ino;
    device_ = now.st_dev;
  }

  std::string path_;
  bool reads_only_ = false;
  ino_t inode_ = 0;
  dev_t device_ = 0;
};

}  // namespace

std::unique_ptr<Dialect> sqlite_dialect() { return std::make_unique<Sqlite>(); }

}  // namespace assay::ledger
