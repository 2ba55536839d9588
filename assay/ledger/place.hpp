#pragma once

#include <string>

namespace assay::ledger {

/// Where a ledger is: a file, or a database on a PostgreSQL server, as `--ledger` and ASSAY_LEDGER name it.
class Place {
 public:
  /// Reads a path, `service=NAME` (of ~/.pg_service.conf), or `postgresql://HOST/DATABASE`. Throws Error for a text that
  /// has a password in it, and for one that means no database. Nothing is opened.
  static Place of(const std::string& text);

  bool is_database() const { return is_database_; }
  /// Whether the file is there; of a database true: opening it shows that.
  bool is_there() const;
  /// As it was given.
  const std::string& text() const { return text_; }
  /// For messages and lists: the text without a user and without options.
  const std::string& shown() const { return shown_; }
  /// The folder of a file; empty of a database.
  std::string folder() const;

 private:
  std::string text_, shown_;
  bool is_database_ = false;
};

/// The password for databases that the environment has (PGPASSWORD), once taken out of it, so that no program that is
/// started sees it. To be called before any program is started; kept for the process.
const std::string& take_password();

}  // namespace assay::ledger
