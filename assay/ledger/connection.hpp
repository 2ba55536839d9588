#pragma once

#include <soci/soci.h>

#include <cstdint>
#include <exception>
#include <functional>
#include <memory>
#include <stop_token>
#include <string>
#include <string_view>
#include <type_traits>
#include <utility>

#include "assay/codec/value.hpp"
#include "assay/ledger/place.hpp"
#include "assay/model/error.hpp"

namespace assay::ledger {

/// What differs between databases. The rest of this module speaks one SQL to all of them.
class Dialect {
 public:
  virtual ~Dialect() = default;

  /// Connects. `create`: makes the file if it is not there.
  virtual void connect(soci::session& sql, const std::string& path, bool create) = 0;
  /// Whether it is a server's, whose tables are made when that is asked for, and not when it is opened.
  virtual bool is_server() const { return false; }
  /// Whether nothing can be stored through this connection.
  virtual bool is_read_only() const = 0;

  /// A statement of the schema in this database's words: `{id}` a key that numbers itself, `{text}` texts
  /// ordered by their bytes, `{clustered}` rows stored by their key, `{packed}` and `{reading}` how readings
  /// are kept.
  virtual std::string translate(std::string_view statement) const = 0;

  /// Whether the database has any table, and one of this name.
  virtual bool has_tables(soci::session& sql) const = 0;
  virtual bool has_table(soci::session& sql, const std::string& name) const = 0;

  /// Begins a transaction that will write: others that want to wait for its end.
  virtual void begin_writing(soci::session& sql) const = 0;
  /// Begins a transaction that sees one state.
  virtual void begin_reading(soci::session& sql) const = 0;
  /// Begins the transaction that makes tables or changes them: of several processes one at a time.
  virtual void begin_making(soci::session& sql) const { begin_writing(sql); }
  /// Gives the roles of the database their rights to the tables.
  virtual void grant_rights(soci::session&) const {}
  /// Turns the checks of foreign keys off for rows whose references are known to hold, and on again.
  virtual void check_references(soci::session& sql, bool on) const = 0;
  /// Gives the space of what was taken out back.
  virtual void compact(soci::session& sql) const = 0;
  /// Room on disk that is kept for taking things out when the disk is full: gives it up, or, as far as there
  /// is room again, keeps it.
  virtual void give_up_reserve(soci::session& sql) const = 0;
  virtual void keep_reserve() const = 0;

  /// What went wrong, by the database's own codes.
  virtual Error::Code code_of(soci::session& sql, const std::exception& error) const = 0;
  /// What to do about it.
  virtual std::string remedy(Error::Code code) const = 0;

  /// Whether the store is still the one that was opened.
  virtual bool still_exists() const = 0;
};

std::unique_ptr<Dialect> sqlite_dialect();
std::unique_ptr<Dialect> postgres_dialect();

/// How a transaction is opened on a ledger.
enum class Opening { create, existing, update };

/// Whether the rows of a connection number themselves by RETURNING, and trials hold their readings.
bool is_postgres(soci::session& sql);
/// What is put behind a SELECT of a campaign, so that it changes for nobody else before the end of the transaction.
inline const char* lock_of_row(soci::session& sql) { return is_postgres(sql) ? " FOR NO KEY UPDATE" : ""; }
/// Milliseconds since 1970: by the server's clock, or this machine's for a file. Nothing else dates what several machines
/// compare.
std::int64_t time_of(soci::session& sql);
/// What a database says went wrong, without the statement and its values, which may follow.
std::string first_line(const std::string& text);
/// What the place of a database means, with what every connection has, in libpq's own words. Throws Error for a place that
/// names no server, and where it would go to another host without proof that it is the one that is meant.
std::string connection_text(const Place& place);
/// Statements by which a server ends a connection whose link is dead within 15 s, and so frees its locks.
inline constexpr const char* dead_links_end =
    "SET tcp_keepalives_idle = 5; SET tcp_keepalives_interval = 5; SET tcp_keepalives_count = 2;"
    " SET tcp_user_timeout = 15000";
/// Puts rows into a table of a PostgreSQL database, in the text form of COPY.
void copy_rows(soci::session& sql, const std::string& table, const std::string& columns,
               const std::string& rows);

/// A connection to a ledger that is there and up to date. Everything goes through its transactions, which
/// turn what the database says into an Error with a code. Included by this module's own sources only.
class Connection {
 public:
  /// Opens the ledger. A file is made, where `opening` asks for that, and brought up to date; the tables of a database with
  /// Opening::update only.
  Connection(const std::string& place, Opening opening);

  virtual ~Connection() = default;
  Connection(const Connection&) = delete;
  Connection& operator=(const Connection&) = delete;

  const Place& place() const { return place_; }
  soci::session& sql() { return sql_; }

  /// Whether the work of the transaction that runs may have been stored before: the connection was lost, and its end was not
  /// heard of. What it stores is to be looked for first.
  bool is_repeated() const { return repeated_; }
  /// Who hears of long waits for a server, and what ends them.
  void set_listener(std::function<void(const std::string&)> listener, std::stop_token stop) {
    listener_ = std::move(listener);
    stop_ = std::move(stop);
  }

  /// Runs `work` in one transaction that writes: all of it is stored, or nothing.
  template <class Work>
  auto write(Work&& work) {
    require_writable();
    return transact([&] { dialect_->begin_writing(sql_); }, work);
  }

  /// The same for rows whose references are known to hold, and many of them: they are not looked up.
  template <class Work>
  auto write_known(Work&& work) {
    require_writable();
    const Unchecked unchecked(*this);
    return write(work);
  }

  /// Runs `work` in one transaction that only reads: it sees one state of the ledger.
  template <class Work>
  auto read(Work&& work) {
    return transact([&] { dialect_->begin_reading(sql_); }, work);
  }

  /// Gives the space of what was taken out back, as far as there is room to do so.
  void compact();

  /// Runs `work`, which takes things out; on a full disk with the room that is kept for that.
  template <class Work>
  void delete_rows(Work&& work) {
    try {
      write(work);
    } catch (const Error& error) {
      if (error.code() != Error::Code::ledger_full) throw;
      give_up_reserve();
      write(work);
    }
    compact();
  }

 protected:
  /// Gives up prepared statements that are kept: the connection that they belong to is about to end.
  virtual void drop_statements() {}

 private:
  /// Again, where a server's connection was lost or its locks were in the way.
  template <class Begin, class Work>
  auto transact(Begin&& begin, Work&& work) {
    repeated_ = false;
    for (int attempt = 1;; ++attempt) {
      try {
        return transact_once(begin, work);
      } catch (const Error& error) {
        if (!can_repeat(error, attempt)) throw;
      }
    }
  }

  template <class Begin, class Work>
  auto transact_once(Begin&& begin, Work&& work) {
    bool begun = false;
    try {
      begin();
      begun = true;
      if constexpr (std::is_void_v<decltype(work())>) {
        work();
        sql_ << "COMMIT";
      } else {
        auto result = work();
        sql_ << "COMMIT";
        return result;
      }
    } catch (const soci::soci_error& error) {
      // Translated before the rollback, which has a code of its own.
      const auto translated = [&]() -> std::exception_ptr {
        try {
          fail(error);
        } catch (...) {
          return std::current_exception();
        }
      }();
      if (begun) roll_back();
      std::rethrow_exception(translated);
    } catch (const codec::CorruptData& error) {
      if (begun) roll_back();
      fail_damaged(error.problem());
    } catch (...) {
      if (begun) roll_back();
      throw;
    }
  }

  /// While it lives, references are not looked up.
  class Unchecked {
   public:
    explicit Unchecked(Connection& connection) : connection_(connection) {
      connection.check_references(false);
    }
    ~Unchecked() {
      try {
        connection_.check_references(true);
      } catch (const Error&) {  // the connection is of no use any more
      }
    }
    Unchecked(const Unchecked&) = delete;
    Unchecked& operator=(const Unchecked&) = delete;

   private:
    Connection& connection_;
  };

  void connect();
  /// Whether what failed may be tried again; connects anew where the server was away, for ten minutes.
  bool can_repeat(const Error& error, int attempt);
  void check_references(bool on);
  void roll_back();
  void give_up_reserve();
  void require_writable() const;
  int stored_version();
  void create_tables();
  [[noreturn]] void fail(const std::exception& error);
  [[noreturn]] void fail_gone() const;
  [[noreturn]] void fail_read_only() const;
  [[noreturn]] void fail_damaged(const std::string& what) const;

  Place place_;
  Opening opening_;
  std::unique_ptr<Dialect> dialect_;
  std::shared_ptr<void> open_file_;  ///< goes after the connection: see connection.cpp
  soci::session sql_;
  bool repeated_ = false;
  std::function<void(const std::string&)> listener_;
  std::stop_token stop_;
};

}  // namespace assay::ledger
