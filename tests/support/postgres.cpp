#include "support/postgres.hpp"

#include <soci/soci.h>
#include <soci/sqlite3/soci-sqlite3.h>
#include <sys/file.h>
#include <unistd.h>

#include <algorithm>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <stdexcept>
#include <vector>

#include "assay/ledger/ledger.hpp"

namespace assay::test {

namespace fs = std::filesystem;

namespace {

std::string quoted(const std::string& text) { return "'" + text + "'"; }

/// What a shell command prints; throws where it fails.
std::string output_of(const std::string& command) {
  FILE* pipe = popen((command + " 2>&1").c_str(), "re");
  std::string text;
  char some[4096];
  while (const auto count = fread(some, 1, sizeof some, pipe)) text.append(some, count);
  if (pclose(pipe) != 0) throw std::runtime_error(command + ": " + text);
  return text;
}

std::string newest_binaries() {
  std::vector<std::string> found;
  std::error_code missing;
  for (fs::directory_iterator at("/usr/lib/postgresql", missing), end; !missing && at != end;
       at.increment(missing))
    if (fs::exists(at->path() / "bin" / "initdb")) found.push_back((at->path() / "bin").string());
  return found.empty() ? std::string() : *std::ranges::max_element(found);
}

/// A server refuses root.
std::string as_ordinary_user() {
  return geteuid() == 0 ? "setpriv --reuid=postgres --regid=postgres --clear-groups " : "";
}

/// A data folder as initdb makes it, made once for a build.
std::string template_folder(const std::string& binaries) {
  const auto folder = std::string(ASSAY_BUILD) + "/postgres-template";
  std::ofstream(folder + ".lock", std::ios::app).flush();
  FILE* lock = fopen((folder + ".lock").c_str(), "re");
  flock(fileno(lock), LOCK_EX);
  if (!fs::exists(folder + "/PG_VERSION")) {
    const auto made = output_of("mktemp -d /tmp/assay-postgres.XXXXXX")
                          .substr(0, std::string("/tmp/assay-postgres.XXXXXX").size());
    if (geteuid() == 0) output_of("chown postgres " + made);
    output_of(as_ordinary_user() + binaries + "/initdb -D " + made +
              "/data -U owner --auth=trust --no-sync -E UTF8 --locale=C");
    output_of("cp -a " + made + "/data " + quoted(folder) + " && rm -rf " + made);
  }
  fclose(lock);
  return folder;
}

}  // namespace

PostgresServer* PostgresServer::instance() {
  static PostgresServer* const server = []() -> PostgresServer* {
    const auto binaries = newest_binaries();
    if (binaries.empty()) return nullptr;
    auto folder = output_of("mktemp -d /tmp/assay-postgres.XXXXXX");
    folder.pop_back();
    output_of("cp -a " + quoted(template_folder(binaries)) + " " + folder + "/data");
    if (geteuid() == 0) output_of("chown -R postgres " + folder);
    static PostgresServer made(binaries, folder);
    made.start();
    // Ends when this process does: then nobody writes to the pipe any more.
    FILE* watched = popen(("cat >/dev/null; cd /; " + as_ordinary_user() + binaries + "/pg_ctl -D " + folder +
                           "/data -m immediate stop >/dev/null 2>&1; rm -rf " + folder)
                              .c_str(),
                          "we");
    if (watched == nullptr) throw std::runtime_error("popen");
    return &made;
  }();
  return server;
}

PostgresServer::PostgresServer(std::string binaries, std::string folder)
    : binaries_(std::move(binaries)), folder_(std::move(folder)) {}

std::string PostgresServer::control(const std::string& what) const {
  return output_of("cd / && " + as_ordinary_user() + binaries_ + "/pg_ctl -D " + folder_ + "/data -w -l " +
                   folder_ + "/log -o \"-c listen_addresses='' -c unix_socket_directories='" + folder_ +
                   "' -c shared_buffers=16MB -c fsync=off -c max_connections=60\" " + what);
}

std::string PostgresServer::make_database(const std::string& like) {
  const auto name = "ledger" + std::to_string(++databases_);
  sql("postgresql:///postgres?host=" + folder_ + "&user=owner",
      "CREATE DATABASE " + name + " TEMPLATE " + like);
  return "postgresql:///" + name + "?host=" + folder_ + "&user=owner";
}

std::string PostgresServer::new_database() { return make_database("template0"); }

std::string PostgresServer::copy_of(const std::string& place) {
  const auto end = place.find('?'), begin = place.rfind('/', end) + 1;
  return make_database(place.substr(begin, end - begin));
}

std::string PostgresServer::as_user(const std::string& place, const std::string& user) {
  return place.substr(0, place.rfind("user=")) + "user=" + user;
}

std::string PostgresServer::sql(const std::string& place, const std::string& statements) const {
  const auto file = folder_ + "/statements-" + std::to_string(getpid());
  std::ofstream(file) << statements;
  auto text = output_of(binaries_ + "/psql -X -A -t -q -v ON_ERROR_STOP=1 -f " + file + " " + quoted(place));
  fs::remove(file);
  if (!text.empty()) text.pop_back();
  return text;
}

void PostgresLedger::SetUp() {
  server_ = PostgresServer::instance();
  if (server_ == nullptr) GTEST_SKIP() << "PostgreSQL is not installed: apt-get install postgresql";
  place_ = server_->new_database();
}

void PostgresLedger::make_tables() const { ledger::Ledger(place_, ledger::Ledger::OpenMode::update); }

std::string EachLedger::sql(const std::string& query) const {
  if (is_database()) return PostgresServer::instance()->sql(place_, query);
  soci::session connection(*soci::factory_sqlite3(), "dbname=" + place_);
  long long value = 0;
  connection << query, soci::into(value);
  return std::to_string(value);
}

void EachLedger::change(const std::string& statement) const {
  if (is_database()) {
    PostgresServer::instance()->sql(place_, statement);
    return;
  }
  soci::session connection(*soci::factory_sqlite3(), "dbname=" + place_);
  connection << statement;
}

void EachLedger::SetUp() {
  if (!is_database()) {
    place_ = scratch_.path("ledger.db");
    ledger::Ledger made(place_);
    return;
  }
  auto* server = PostgresServer::instance();
  if (server == nullptr) GTEST_SKIP() << "PostgreSQL is not installed: apt-get install postgresql";
  place_ = server->new_database();
  ledger::Ledger made(place_, ledger::Ledger::OpenMode::update);
}

}  // namespace assay::test
