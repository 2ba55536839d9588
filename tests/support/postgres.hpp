#pragma once

#include <gtest/gtest.h>

#include <optional>
#include <string>

#include "support/tool.hpp"

namespace assay::test {

/// A PostgreSQL server of this process's own, on a socket of its own, started when it is first asked for; it ends with the
/// process, however that ends.
class PostgresServer {
 public:
  /// The server; nullptr where PostgreSQL is not installed.
  static PostgresServer* instance();

  /// A database that nobody else has, as `--ledger` names it, for its owner or another user; without tables.
  std::string new_database();
  /// A new database with all that is in another one, which nobody is connected to.
  std::string copy_of(const std::string& place);
  /// The same database for another user.
  static std::string as_user(const std::string& place, const std::string& user);

  /// Runs statements in a database, as its owner. Throws std::runtime_error with what psql says.
  std::string sql(const std::string& place, const std::string& statements) const;
  /// Ends it as a power cut would.
  void cut_off() const { control("-m immediate stop"); }
  void start() const { control("start"); }

  PostgresServer(const PostgresServer&) = delete;
  PostgresServer& operator=(const PostgresServer&) = delete;

 private:
  PostgresServer(std::string binaries, std::string folder);
  std::string make_database(const std::string& like);
  std::string control(const std::string& what) const;

  std::string binaries_, folder_;
  int databases_ = 0;
};

/// Tests that hold for a ledger on a server alone, each with a database of its own.
class PostgresLedger : public testing::Test {
 protected:
  void SetUp() override;
  void make_tables() const;
  std::string sql(const std::string& statements) const { return server_->sql(place_, statements); }

  PostgresServer* server_ = nullptr;
  std::string place_;
};

/// Tests that hold for a ledger of either kind, each test's its own.
class EachLedger : public testing::TestWithParam<const char*> {
 protected:
  void SetUp() override;
  /// A ledger that is there, and empty.
  const std::string& place() const { return place_; }
  /// The only value of a query, from the database's own client.
  std::string sql(const std::string& query) const;
  /// Carries out a statement, by that client.
  void change(const std::string& statement) const;
  bool is_database() const { return std::string(GetParam()) == "PostgreSQL"; }

  Scratch scratch_;

 private:
  std::string place_;
};

}  // namespace assay::test
