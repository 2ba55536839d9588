#pragma once

#include <soci/soci.h>

#include <exception>
#include <memory>
#include <string>
#include <type_traits>
#include <utility>

#include "assay/codec/value.hpp"
#include "assay/ledger/dialect.hpp"

namespace assay::ledger {

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

}  // namespace assay::ledger
