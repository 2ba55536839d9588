#include "assay/ledger/connection.hpp"

#include <sys/stat.h>

#include <array>
#include <chrono>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <mutex>
#include <set>
#include <thread>

#include "assay/ledger/ledger.hpp"
#include "assay/ledger/schema.hpp"
#include "assay/model/error.hpp"
#include "assay/model/log.hpp"
#include "assay/model/own_files.hpp"

namespace assay::ledger {

namespace fs = std::filesystem;
namespace {

using FileId = std::pair<dev_t, ino_t>;

std::optional<FileId> id_of_file(const std::string& path) {
  struct stat file {};
  if (stat(path.c_str(), &file) != 0) return {};
  return FileId{file.st_dev, file.st_ino};
}

/// The files that connections of this process have open. To open and close one once more would drop the locks that SQLite
/// holds on it for all of them (POSIX), and other processes would take its log away.
class OpenFiles {
 public:
  static OpenFiles& all() {
    static OpenFiles files;
    return files;
  }

  bool has(const std::string& path) {
    const auto id = id_of_file(path);
    const std::lock_guard guard(mutex_);
    return id && files_.contains(*id);
  }

  /// Knows the file while what is returned lives.
  std::shared_ptr<void> add(const std::string& path) {
    const auto id = id_of_file(path);
    if (!id) return {};
    const std::lock_guard guard(mutex_);
    files_.insert(*id);
    return {nullptr, [this, file = *id](void*) {
              const std::lock_guard releasing(mutex_);
              files_.erase(files_.find(file));
            }};
  }

 private:
  std::mutex mutex_;
  std::multiset<FileId> files_;
};

void refuse_other_files(const std::string& path) {
  if (OpenFiles::all().has(path)) return;
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

std::unique_ptr<Dialect> dialect_of(const Place& place) {
  return place.is_database() ? postgres_dialect() : sqlite_dialect();
}

}  // namespace

Connection::Connection(const std::string& place, Opening opening)
    : place_(Place::of(place)), opening_(opening), dialect_(dialect_of(place_)) {
  if (opening == Opening::existing && !place_.is_there())
    throw Error("there is no ledger", place_.shown(), "measure something first: assay duel, or assay run",
                Error::Code::ledger_missing);
  if (!place_.is_database()) {
    if (const auto folder = place_.folder(); opening != Opening::existing && !folder.empty())
      make_private_folder(folder);
    refuse_other_files(place_.text());
  }
  try {
    connect();
    if (!place_.is_database()) open_file_ = OpenFiles::all().add(place_.text());
    create_tables();
  } catch (const soci::soci_error& error) {
    fail(error);
  }
}

void Connection::connect() { dialect_->connect(sql_, place_.text(), opening_ != Opening::existing); }

void Connection::roll_back() {
  try {
    sql_ << "ROLLBACK";
  } catch (const soci::soci_error&) {  // it has ended by itself
  }
}

bool Connection::can_repeat(const Error& error, int attempt) {
  using namespace std::chrono_literals;
  constexpr int most_attempts = 10;
  if (!dialect_->is_server()) return false;
  if (error.code() == Error::Code::ledger_busy) return attempt < most_attempts;
  if (error.code() != Error::Code::ledger_away) return false;
  constexpr std::chrono::milliseconds patience = 10min, longest = 5s;
  std::chrono::milliseconds pause = 100ms;
  const auto until = std::chrono::steady_clock::now() + patience;
  drop_statements();
  for (bool reported = false; std::chrono::steady_clock::now() < until;
       pause = std::min(2 * pause, longest)) {
    std::this_thread::sleep_for(pause);
    try {
      sql_.close();
      connect();
      repeated_ = true;
      return true;
    } catch (const soci::soci_error& failed) {
      if (dialect_->code_of(sql_, failed) != Error::Code::ledger_away) return false;
    }
    if (stop_.stop_requested()) return false;
    if (!reported && listener_)
      listener_(place_.shown() + ": the ledger's server can't be reached; the round waits in memory");
    reported = true;
  }
  return false;
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
                  place_.shown(), "move it away; a new one is made when measuring",
                  Error::Code::ledger_older);
    if (dialect_->has_tables(sql_))
      throw Error("this is a database of something else, not a ledger", place_.shown(), "name another one");
    return 0;
  }
  int found = 0;
  sql_ << "SELECT max(version) FROM ledger_version", soci::into(found);
  if (found > Ledger::version)
    throw Error("this ledger was written by a newer Assay (its version is " + std::to_string(found) +
                    ", this program knows " + std::to_string(Ledger::version) + ")",
                place_.shown(), "use the newer program, or another ledger", Error::Code::ledger_newer);
  return found;
}

/// Makes the tables inside one transaction that reads the version again: of several processes one makes them,
/// the others find them.
void Connection::create_tables() {
  const int stored = read([&] { return stored_version(); });
  const bool asked = opening_ == Opening::update;
  if (dialect_->is_server() && !asked) {
    if (stored == 0)
      throw Error("there is no ledger yet", place_.shown(), dialect_->remedy(Error::Code::ledger_missing),
                  Error::Code::ledger_missing);
    if (stored != Ledger::version)
      throw Error("this ledger was made by an older Assay", place_.shown(),
                  "who owns the database brings it up to date: assay ledger update",
                  Error::Code::ledger_older);
    return;
  }
  if (stored == Ledger::version && !dialect_->is_server()) return;
  require_writable();
  transact([&] { dialect_->begin_making(sql_); },
           [&] {
             const int found = stored_version();
             if (found != Ledger::version)
               for (const auto statement : statements_from(found)) sql_ << dialect_->translate(statement);
             dialect_->grant_rights(sql_);
           });
}

std::int64_t time_of(soci::session& sql) {
  if (!is_postgres(sql)) return unix_milliseconds();
  long long now = 0;
  sql << "SELECT (extract(epoch FROM clock_timestamp()) * 1000)::bigint", soci::into(now);
  return now;
}

std::string first_line(const std::string& text) {
  auto own = text.substr(0, text.find(" while executing"));
  constexpr std::string_view of_soci = "Cannot establish connection to the database.\n";
  if (own.starts_with(of_soci)) own = own.substr(of_soci.size());
  return own.substr(0, own.find('\n'));
}

namespace {

std::string problem_of(Error::Code code, const std::string& why) {
  switch (code) {
    case Error::Code::ledger_full:
      return "the disk is full: nothing more could be stored";
    case Error::Code::ledger_busy:
      return "another process keeps the ledger locked";
    case Error::Code::ledger_missing:
      return "there is no such ledger";
    case Error::Code::ledger_away:
      return "the ledger's server can't be reached: " + why;
    case Error::Code::ledger_refused:
      return "the ledger's server does not let this user in: " + why;
    default:
      return "the ledger could not be used: " + why;
  }
}

}  // namespace

void Connection::fail(const std::exception& error) {
  const auto code = dialect_->code_of(sql_, error);
  if (code == Error::Code::ledger_read_only) fail_read_only();
  if (code == Error::Code::ledger_damaged) fail_damaged({});
  if (code == Error::Code::ledger_gone) fail_gone();
  throw Error(problem_of(code, first_line(error.what())), place_.shown(), dialect_->remedy(code), code);
}

void Connection::fail_gone() const {
  throw Error("the ledger was moved or deleted while it was in use: what is measured is kept nowhere",
              place_.shown(), "does a workload clean its folder? name a ledger elsewhere with --ledger",
              Error::Code::ledger_gone);
}

void Connection::fail_damaged(const std::string& what) const {
  constexpr auto code = Error::Code::ledger_damaged;
  throw Error("the ledger is damaged" + (what.empty() ? "" : ": " + what), place_.shown(),
              dialect_->remedy(code), code);
}

void Connection::fail_read_only() const {
  constexpr auto code = Error::Code::ledger_read_only;
  throw Error("the ledger can't be written here", place_.shown(), dialect_->remedy(code), code);
}

}  // namespace assay::ledger
