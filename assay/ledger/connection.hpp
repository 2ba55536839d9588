#pragma once

#include <soci/soci.h>

#include <exception>
#include <memory>
#include <span>
#include <string>
#include <string_view>
#include <type_traits>
#include <utility>
#include <vector>

#include "assay/codec/value.hpp"
#include "assay/model/error.hpp"

namespace assay::ledger {

/// What differs between databases. The rest of this module speaks one SQL to all of them.
class Dialect {
 public:
  virtual ~Dialect() = default;

  /// Connects. `create`: makes the file if it is not there.
  virtual void connect(soci::session& sql, const std::string& path, bool create) = 0;
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

  /// Whether the store is still the one that was opened.
  virtual bool still_exists() const = 0;
};

std::unique_ptr<Dialect> sqlite_dialect();

/// A connection to a ledger that is there and up to date. Everything goes through its transactions, which
/// turn what the database says into an Error with a code. Included by this module's own sources only.
class Connection {
 public:
  /// Opens the ledger, makes it if `create`, and brings it up to date.
  Connection(std::string path, bool create);

  const std::string& path() const { return path_; }
  soci::session& sql() { return sql_; }

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
    return transact([&] { sql_ << "BEGIN"; }, work);
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

 private:
  template <class Begin, class Work>
  auto transact(Begin&& begin, Work&& work) {
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

  std::string path_;
  std::unique_ptr<Dialect> dialect_ = sqlite_dialect();
  soci::session sql_;
};

/// The statements that bring a ledger of this version to the current one, or, from 0, make an empty one: in order,
/// in the words of Dialect::translate(). Things of a campaign are numbered within it, from 0, as in the model.
std::vector<std::string_view> statements_from(int version);

/// Tables that hold a campaign's rows under its number, the dependent ones first.
std::span<const std::string_view> tables_of_a_campaign();

/// Those of them that hold what was sampled of programs.
std::span<const std::string_view> code_sample_tables();

}  // namespace assay::ledger
