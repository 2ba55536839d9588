#include "assay/ledger/schema.hpp"

#include <array>

namespace assay::inline v1::ledger {
namespace {

constexpr std::array<std::string_view, 24> statements = {
    "CREATE TABLE ledger_info (version INTEGER NOT NULL)",
    "CREATE TABLE machine (id {id}, fingerprint {text} NOT NULL, mark {text} NOT NULL DEFAULT '', UNIQUE"
    " (fingerprint, mark))",
    "CREATE TABLE campaign (id {id}, uid {text} NOT NULL UNIQUE, title {text} NOT NULL, kind {text} NOT"
    " NULL, label {text} NOT NULL, plan {text} NOT NULL, plan_digest {text} NOT NULL, seed {text} NOT"
    " NULL, state {text} NOT NULL, started BIGINT NOT NULL, margin DOUBLE PRECISION NOT NULL, rounds_min"
    " INTEGER NOT NULL, rounds_max INTEGER NOT NULL, abreast INTEGER NOT NULL DEFAULT 0, repeat {text}"
    " NOT NULL, folder {text} NOT NULL DEFAULT '', again_of BIGINT REFERENCES campaign(id), judge"
    " INTEGER NOT NULL DEFAULT 1, next_round INTEGER NOT NULL DEFAULT 1, looked INTEGER NOT NULL DEFAULT"
    " 0, budget_ms BIGINT, opened BIGINT, upto INTEGER, closing {text} NOT NULL DEFAULT '', layouts"
    " INTEGER NOT NULL DEFAULT 0)",
    "CREATE TABLE sitting (campaign BIGINT NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL,"
    " machine BIGINT NOT NULL REFERENCES machine(id), boot {text} NOT NULL, token {text}, name {text}"
    " NOT NULL DEFAULT '', started BIGINT NOT NULL, seen BIGINT NOT NULL, ready BIGINT, ended BIGINT,"
    " PRIMARY KEY (campaign, id), UNIQUE (campaign, token))",
    "CREATE TABLE fact (campaign BIGINT NOT NULL, sitting INTEGER NOT NULL, name {text} NOT NULL, value"
    " {text} NOT NULL, PRIMARY KEY (campaign, sitting, name))",
    "CREATE TABLE build (id {id}, cache_key {text} NOT NULL UNIQUE, tree {text} NOT NULL, steps {text}"
    " NOT NULL, compiler {text} NOT NULL, flags {text} NOT NULL, state {text} NOT NULL, log_tail {text}"
    " NOT NULL)",
    "CREATE TABLE candidate (campaign BIGINT NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL, name"
    " {text} NOT NULL, against INTEGER, twin_of INTEGER, build BIGINT REFERENCES build(id), exe {text}"
    " NOT NULL, exe_digest {text} NOT NULL, commit_id {text} NOT NULL, commit_time BIGINT, identity"
    " {text} NOT NULL, compiler {text} NOT NULL, flags {text} NOT NULL, options {text} NOT NULL, PRIMARY"
    " KEY (campaign, id))",
    "CREATE TABLE built (campaign BIGINT NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL,"
    " candidate INTEGER NOT NULL, setting {text} NOT NULL, tree {text} NOT NULL, steps {text} NOT NULL,"
    " compiler {text} NOT NULL, flags {text} NOT NULL, exe_digest {text} NOT NULL, layouts INTEGER"
    " NOT NULL DEFAULT 0, layout {text} NOT NULL DEFAULT '', PRIMARY KEY (campaign, id))",
    "CREATE TABLE program (campaign BIGINT NOT NULL, sitting INTEGER NOT NULL, candidate INTEGER NOT"
    " NULL, exe_digest {text} NOT NULL, PRIMARY KEY (campaign, sitting, candidate))",
    "CREATE TABLE workload (campaign BIGINT NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL, name"
    " {text} NOT NULL, run {text} NOT NULL, doubt {text} NOT NULL DEFAULT '', weight DOUBLE PRECISION"
    " NOT NULL DEFAULT 1, digest {text} NOT NULL DEFAULT '', PRIMARY KEY (campaign, id))",
    "CREATE TABLE factor (campaign BIGINT NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL, name"
    " {text} NOT NULL, role {text} NOT NULL, PRIMARY KEY (campaign, id))",
    "CREATE TABLE setting (campaign BIGINT NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL, text"
    " {text} NOT NULL, PRIMARY KEY (campaign, id))",
    "CREATE TABLE setting_value (campaign BIGINT NOT NULL, setting INTEGER NOT NULL, factor {text} NOT"
    " NULL, kind {text} NOT NULL, text {text} NOT NULL, number DOUBLE PRECISION, PRIMARY KEY (campaign,"
    " setting, factor))",
    "CREATE TABLE cell (campaign BIGINT NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL, candidate"
    " INTEGER NOT NULL, workload INTEGER NOT NULL, setting INTEGER NOT NULL, standing {text} NOT NULL,"
    " detail {text} NOT NULL, PRIMARY KEY (campaign, id))",
    "CREATE TABLE contrast (campaign BIGINT NOT NULL REFERENCES campaign(id), baseline INTEGER NOT NULL,"
    " candidate INTEGER NOT NULL, settled INTEGER, PRIMARY KEY (campaign, baseline, candidate))",
    "CREATE TABLE metric (campaign BIGINT NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL, name"
    " {text} NOT NULL, unit {text} NOT NULL, prefer {text} NOT NULL, scale {text} NOT NULL, about {text}"
    " NOT NULL, exact INTEGER NOT NULL, watched INTEGER NOT NULL, margin DOUBLE PRECISION, ceiling"
    " DOUBLE PRECISION, require {text}, missing {text}, settle {text} NOT NULL DEFAULT '', supporting "
    "INTEGER NOT NULL DEFAULT 0,"
    " coarse_below DOUBLE PRECISION NOT NULL DEFAULT 0, PRIMARY KEY (campaign, id))",
    "CREATE TABLE round (campaign BIGINT NOT NULL REFERENCES campaign(id), number INTEGER NOT NULL,"
    " sitting INTEGER NOT NULL, state {text} NOT NULL, role {text} NOT NULL DEFAULT 'counted',"
    " trial_order {text} NOT NULL, claimed BIGINT NOT NULL DEFAULT 0, heard BIGINT NOT NULL DEFAULT 0,"
    " due BIGINT NOT NULL DEFAULT 0, closed BIGINT, PRIMARY KEY (campaign, number))",
    "CREATE TABLE trial (id {id}, campaign BIGINT NOT NULL REFERENCES campaign(id), round INTEGER, cell"
    " INTEGER NOT NULL, repeat INTEGER NOT NULL DEFAULT 0, sitting INTEGER NOT NULL, role {text} NOT"
    " NULL, position INTEGER NOT NULL, heat INTEGER NOT NULL, calls BIGINT NOT NULL, outcome {text} NOT"
    " NULL, exit_status INTEGER NOT NULL, signal INTEGER NOT NULL, output_bytes BIGINT NOT NULL,"
    " output_digest {text} NOT NULL, latencies {text} NOT NULL DEFAULT '', leftovers INTEGER NOT NULL, "
    "detail {text} NOT NULL{packed}, UNIQUE"
    " (campaign, round, cell, repeat))",
    "{reading}",
    "CREATE TABLE series (trial BIGINT NOT NULL REFERENCES trial(id), metric INTEGER NOT NULL, place"
    " INTEGER NOT NULL, at DOUBLE PRECISION, value DOUBLE PRECISION NOT NULL, PRIMARY KEY (trial,"
    " metric, place)) {clustered}",
    "CREATE TABLE checked (campaign BIGINT NOT NULL REFERENCES campaign(id), cell INTEGER NOT NULL,"
    " answer_digest {text} NOT NULL, PRIMARY KEY (campaign, cell))",
    "CREATE TABLE look (campaign BIGINT NOT NULL REFERENCES campaign(id), baseline INTEGER NOT NULL,"
    " candidate INTEGER NOT NULL, metric INTEGER NOT NULL, number INTEGER NOT NULL, rounds INTEGER NOT"
    " NULL, p DOUBLE PRECISION NOT NULL, p_same DOUBLE PRECISION NOT NULL, decision {text} NOT NULL,"
    " upto INTEGER NOT NULL DEFAULT 0, settled INTEGER NOT NULL DEFAULT 0, PRIMARY KEY (campaign,"
    " baseline, candidate, metric, number))",
    "CREATE TABLE reduced (campaign BIGINT PRIMARY KEY REFERENCES campaign(id), kept {text} NOT NULL)",
    "INSERT INTO ledger_info (version) VALUES (10)",
};

/// From version 1 to 2.
constexpr std::array<std::string_view, 5> to_version_2 = {
    "ALTER TABLE campaign ADD COLUMN abreast INTEGER NOT NULL DEFAULT 0",
    "ALTER TABLE metric ADD COLUMN supporting INTEGER NOT NULL DEFAULT 0",
    "ALTER TABLE metric ADD COLUMN coarse_below DOUBLE PRECISION NOT NULL DEFAULT 0",
    "DROP INDEX trial_of_campaign",
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

/// From version 4 to 5.
constexpr std::array<std::string_view, 29> to_version_5 = {
    "CREATE TABLE machine5 (id INTEGER PRIMARY KEY, fingerprint TEXT NOT NULL, mark TEXT NOT NULL"
    " DEFAULT '', UNIQUE (fingerprint, mark))",
    "INSERT INTO machine5 (id, fingerprint) SELECT id, fingerprint FROM machine",
    "DROP TABLE machine",
    "ALTER TABLE machine5 RENAME TO machine",
    "ALTER TABLE campaign ADD COLUMN judge INTEGER NOT NULL DEFAULT 1",
    "ALTER TABLE campaign ADD COLUMN next_round INTEGER NOT NULL DEFAULT 1",
    "ALTER TABLE campaign ADD COLUMN looked INTEGER NOT NULL DEFAULT 0",
    "ALTER TABLE campaign ADD COLUMN budget_ms BIGINT",
    "ALTER TABLE campaign ADD COLUMN opened BIGINT",
    "ALTER TABLE campaign ADD COLUMN upto INTEGER",
    "ALTER TABLE campaign ADD COLUMN closing TEXT NOT NULL DEFAULT ''",
    "ALTER TABLE sitting ADD COLUMN token TEXT",
    "ALTER TABLE sitting ADD COLUMN name TEXT NOT NULL DEFAULT ''",
    "ALTER TABLE sitting ADD COLUMN ready BIGINT",
    "CREATE UNIQUE INDEX sitting_token ON sitting (campaign, token)",
    "CREATE TABLE built (campaign BIGINT NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL,"
    " candidate INTEGER NOT NULL, setting TEXT NOT NULL, tree TEXT NOT NULL, steps TEXT NOT NULL,"
    " compiler TEXT NOT NULL, flags TEXT NOT NULL, exe_digest TEXT NOT NULL, PRIMARY KEY (campaign, id))",
    "CREATE TABLE program (campaign BIGINT NOT NULL, sitting INTEGER NOT NULL, candidate INTEGER NOT"
    " NULL, exe_digest TEXT NOT NULL, PRIMARY KEY (campaign, sitting, candidate))",
    "ALTER TABLE workload ADD COLUMN digest TEXT NOT NULL DEFAULT ''",
    "ALTER TABLE contrast ADD COLUMN settled INTEGER",
    "ALTER TABLE round ADD COLUMN role TEXT NOT NULL DEFAULT 'counted'",
    "ALTER TABLE round ADD COLUMN claimed BIGINT NOT NULL DEFAULT 0",
    "ALTER TABLE round ADD COLUMN heard BIGINT NOT NULL DEFAULT 0",
    "ALTER TABLE round ADD COLUMN due BIGINT NOT NULL DEFAULT 0",
    "ALTER TABLE round ADD COLUMN closed BIGINT",
    "UPDATE round SET role = coalesce((SELECT t.role FROM trial t WHERE t.campaign = round.campaign AND"
    " t.round = round.number LIMIT 1), 'counted')",
    "UPDATE campaign SET next_round = 1 + coalesce((SELECT max(number) FROM round r WHERE r.campaign ="
    " campaign.id), 0)",
    "ALTER TABLE look ADD COLUMN upto INTEGER NOT NULL DEFAULT 0",
    "ALTER TABLE look ADD COLUMN settled INTEGER NOT NULL DEFAULT 0",
    "UPDATE ledger_info SET version = 5",
};

/// From version 5 to 6.
constexpr std::array<std::string_view, 5> to_version_6 = {
    "CREATE TABLE trial6 (id INTEGER PRIMARY KEY, campaign BIGINT NOT NULL REFERENCES campaign(id), round"
    " INTEGER, cell INTEGER NOT NULL, repeat INTEGER NOT NULL DEFAULT 0, sitting INTEGER NOT NULL, role"
    " TEXT NOT NULL, position INTEGER NOT NULL, heat INTEGER NOT NULL, calls BIGINT NOT NULL, outcome"
    " TEXT NOT NULL, exit_status INTEGER NOT NULL, signal INTEGER NOT NULL, output_bytes BIGINT NOT NULL,"
    " output_digest TEXT NOT NULL, leftovers INTEGER NOT NULL, detail TEXT NOT NULL, UNIQUE (campaign,"
    " round, cell, repeat))",
    "INSERT INTO trial6 (id, campaign, round, cell, sitting, role, position, heat, calls, outcome,"
    " exit_status, signal, output_bytes, output_digest, leftovers, detail) SELECT id, campaign, round,"
    " cell, sitting, role, position, heat, calls, outcome, exit_status, signal, output_bytes,"
    " output_digest, leftovers, detail FROM trial",
    "DROP TABLE trial",
    "ALTER TABLE trial6 RENAME TO trial",
    "UPDATE ledger_info SET version = 6",
};

/// From version 9 to 10.
constexpr std::array<std::string_view, 4> to_version_10 = {
    "ALTER TABLE campaign ADD COLUMN layouts INTEGER NOT NULL DEFAULT 0",
    "ALTER TABLE built ADD COLUMN layouts INTEGER NOT NULL DEFAULT 0",
    "ALTER TABLE built ADD COLUMN layout TEXT NOT NULL DEFAULT ''",
    "UPDATE ledger_info SET version = 10",
};

/// From version 8 to 9.
constexpr std::array<std::string_view, 2> to_version_9 = {
    "CREATE TABLE reduced (campaign BIGINT PRIMARY KEY REFERENCES campaign(id), kept TEXT NOT NULL)",
    "UPDATE ledger_info SET version = 9",
};

/// From version 7 to 8.
constexpr std::array<std::string_view, 2> to_version_8 = {
    "ALTER TABLE trial ADD COLUMN latencies TEXT NOT NULL DEFAULT ''",
    "UPDATE ledger_info SET version = 8",
};

/// From version 6 to 7.
constexpr std::array<std::string_view, 2> to_version_7 = {
    "ALTER TABLE metric ADD COLUMN settle TEXT NOT NULL DEFAULT ''",
    "UPDATE ledger_info SET version = 7",
};

constexpr std::array<std::string_view, 17> campaign_tables = {
    "reduced", "look",   "checked",  "trial",   "round", "metric",    "contrast", "cell",   "setting_value",
    "setting", "factor", "workload", "program", "built", "candidate", "fact",     "sitting"};

}  // namespace

std::span<const std::string_view> schema() { return statements; }
std::span<const std::string_view> migration(int from) {
  if (from == 1) return to_version_2;
  if (from == 2) return to_version_3;
  if (from == 3) return to_version_4;
  if (from == 4) return to_version_5;
  if (from == 5) return to_version_6;
  if (from == 6) return to_version_7;
  if (from == 7) return to_version_8;
  if (from == 8) return to_version_9;
  if (from == 9) return to_version_10;
  return {};
}
std::span<const std::string_view> tables_of_a_campaign() { return campaign_tables; }

}  // namespace assay::inline v1::ledger
