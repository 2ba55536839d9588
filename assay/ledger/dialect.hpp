#pragma once

#include <soci/soci.h>

#include <exception>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

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

}  // namespace assay::ledger
