#include "assay/ledger/schema.hpp"

#include <array>

namespace assay::ledger {
namespace {

constexpr std::array<std::string_view, 21> statements = {
    "CREATE TABLE ledger_info (version INTEGER NOT NULL)",
    "CREATE TABLE machine (id INTEGER PRIMARY KEY, fingerprint TEXT NOT NULL UNIQUE)",
    "CREATE TABLE campaign (id INTEGER PRIMARY KEY, uid TEXT NOT NULL UNIQUE, title TEXT NOT NULL,"
    " kind TEXT NOT NULL, label TEXT NOT NULL, plan TEXT NOT NULL, plan_digest TEXT NOT NULL, seed TEXT NOT "
    "NULL,"
    " state TEXT NOT NULL, started BIGINT NOT NULL, margin DOUBLE PRECISION NOT NULL,"
    " rounds_min INTEGER NOT NULL, rounds_max INTEGER NOT NULL, abreast INTEGER NOT NULL DEFAULT 0,"
    " repeat TEXT NOT NULL, folder TEXT NOT NULL DEFAULT '',"
    " again_of INTEGER REFERENCES campaign(id))",
    "CREATE TABLE sitting (campaign INTEGER NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL,"
    " machine INTEGER NOT NULL REFERENCES machine(id), boot TEXT NOT NULL, started BIGINT NOT NULL,"
    " seen BIGINT NOT NULL, ended BIGINT, PRIMARY KEY (campaign, id))",
    "CREATE TABLE fact (campaign INTEGER NOT NULL, sitting INTEGER NOT NULL, name TEXT NOT NULL, value TEXT "
    "NOT NULL,"
    " PRIMARY KEY (campaign, sitting, name))",
    "CREATE TABLE build (id INTEGER PRIMARY KEY, cache_key TEXT NOT NULL UNIQUE, tree TEXT NOT NULL,"
    " steps TEXT NOT NULL, compiler TEXT NOT NULL, flags TEXT NOT NULL, state TEXT NOT NULL, log_tail TEXT "
    "NOT NULL)",
    "CREATE TABLE candidate (campaign INTEGER NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL,"
    " name TEXT NOT NULL, against INTEGER, twin_of INTEGER, build INTEGER REFERENCES build(id),"
    " exe TEXT NOT NULL, exe_digest TEXT NOT NULL, commit_id TEXT NOT NULL, commit_time BIGINT,"
    " identity TEXT NOT NULL, compiler TEXT NOT NULL, flags TEXT NOT NULL, options TEXT NOT NULL,"
    " PRIMARY KEY (campaign, id))",
    "CREATE TABLE workload (campaign INTEGER NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL,"
    " name TEXT NOT NULL, run TEXT NOT NULL, doubt TEXT NOT NULL DEFAULT '',"
    " weight DOUBLE PRECISION NOT NULL DEFAULT 1, PRIMARY KEY (campaign, id))",
    "CREATE TABLE factor (campaign INTEGER NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL,"
    " name TEXT NOT NULL, role TEXT NOT NULL, PRIMARY KEY (campaign, id))",
    "CREATE TABLE setting (campaign INTEGER NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL,"
    " text TEXT NOT NULL, PRIMARY KEY (campaign, id))",
    "CREATE TABLE setting_value (campaign INTEGER NOT NULL, setting INTEGER NOT NULL, factor TEXT NOT NULL,"
    " kind TEXT NOT NULL, text TEXT NOT NULL, number DOUBLE PRECISION, PRIMARY KEY (campaign, setting, "
    "factor))",
    "CREATE TABLE cell (campaign INTEGER NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL,"
    " candidate INTEGER NOT NULL, workload INTEGER NOT NULL, setting INTEGER NOT NULL, standing TEXT NOT "
    "NULL,"
    " detail TEXT NOT NULL, PRIMARY KEY (campaign, id))",
    "CREATE TABLE contrast (campaign INTEGER NOT NULL REFERENCES campaign(id), baseline INTEGER NOT NULL,"
    " candidate INTEGER NOT NULL, PRIMARY KEY (campaign, baseline, candidate))",
    "CREATE TABLE metric (campaign INTEGER NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL,"
    " name TEXT NOT NULL, unit TEXT NOT NULL, prefer TEXT NOT NULL, scale TEXT NOT NULL, about TEXT NOT NULL,"
    " exact INTEGER NOT NULL, watched INTEGER NOT NULL, margin DOUBLE PRECISION, ceiling DOUBLE PRECISION,"
    " require TEXT, missing TEXT, supporting INTEGER NOT NULL DEFAULT 0,"
    " coarse_below DOUBLE PRECISION NOT NULL DEFAULT 0, PRIMARY KEY (campaign, id))",
    "CREATE TABLE round (campaign INTEGER NOT NULL REFERENCES campaign(id), number INTEGER NOT NULL,"
    " sitting INTEGER NOT NULL, state TEXT NOT NULL, trial_order TEXT NOT NULL, PRIMARY KEY (campaign, "
    "number))",
    "CREATE TABLE trial (id INTEGER PRIMARY KEY, campaign INTEGER NOT NULL REFERENCES campaign(id),"
    " round INTEGER, cell INTEGER NOT NULL, sitting INTEGER NOT NULL, role TEXT NOT NULL, position INTEGER "
    "NOT NULL,"
    " heat INTEGER NOT NULL, calls BIGINT NOT NULL, outcome TEXT NOT NULL, exit_status INTEGER NOT NULL,"
    " signal INTEGER NOT NULL, output_bytes BIGINT NOT NULL, output_digest TEXT NOT NULL, leftovers INTEGER "
    "NOT NULL,"
    " detail TEXT NOT NULL, UNIQUE (campaign, round, cell))",
    "CREATE TABLE reading (trial INTEGER NOT NULL REFERENCES trial(id), metric INTEGER NOT NULL,"
    " value DOUBLE PRECISION NOT NULL, PRIMARY KEY (trial, metric)) WITHOUT ROWID",
    "CREATE TABLE series (trial INTEGER NOT NULL REFERENCES trial(id), metric INTEGER NOT NULL,"
    " place INTEGER NOT NULL, at DOUBLE PRECISION, value DOUBLE PRECISION NOT NULL,"
    " PRIMARY KEY (trial, metric, place)) WITHOUT ROWID",
    "CREATE TABLE checked (campaign INTEGER NOT NULL REFERENCES campaign(id), cell INTEGER NOT NULL,"
    " answer_digest TEXT NOT NULL, PRIMARY KEY (campaign, cell))",
    "CREATE TABLE look (campaign INTEGER NOT NULL REFERENCES campaign(id), baseline INTEGER NOT NULL,"
    " candidate INTEGER NOT NULL, metric INTEGER NOT NULL, number INTEGER NOT NULL, rounds INTEGER NOT NULL,"
    " p DOUBLE PRECISION NOT NULL, p_same DOUBLE PRECISION NOT NULL, decision TEXT NOT NULL,"
    " PRIMARY KEY (campaign, baseline, candidate, metric, number))",
    "INSERT INTO ledger_info (version) VALUES (4)",
};

/// From version 1 to 2.
constexpr std::array<std::string_view, 5> to_version_2 = {
    "ALTER TABLE campaign ADD COLUMN abreast INTEGER NOT NULL DEFAULT 0",
    "ALTER TABLE metric ADD COLUMN supporting INTEGER NOT NULL DEFAULT 0",
    "ALTER TABLE metric ADD COLUMN coarse_below DOUBLE PRECISION NOT NULL DEFAULT 0",
    "DROP INDEX trial_of_campaign",  // the one of its unique key serves as well
    "UPDATE ledger_info SET version = 2",
};

/// From version 2 to 3.
constexpr std::array<std::string_view, 3> to_version_3 = {
    "ALTER TABLE campaign ADD COLUMN folder TEXT NOT NULL DEFAULT ''",
    "ALTER TABLE workload ADD COLUMN doubt TEXT NOT NULL DEFAULT ''",
    "UPDATE ledger_info SET version = 3",
};

/// From version 3 to 4.
constexpr std::array<std::string_view, 2> to_version_4 = {
    "ALTER TABLE workload ADD COLUMN weight DOUBLE PRECISION NOT NULL DEFAULT 1",
    "UPDATE ledger_info SET version = 4",
};

constexpr std::array<std::string_view, 14> campaign_tables = {
    "look",          "checked", "trial",  "round",    "metric",    "contrast", "cell",
    "setting_value", "setting", "factor", "workload", "candidate", "fact",     "sitting"};

}  // namespace

std::span<const std::string_view> schema() { return statements; }
std::span<const std::string_view> migration(int from) {
  if (from == 1) return to_version_2;
  if (from == 2) return to_version_3;
  if (from == 3) return to_version_4;
  return {};
}
std::span<const std::string_view> tables_of_a_campaign() { return campaign_tables; }

}  // namespace assay::ledger
