#include "assay/ledger/schema.hpp"

#include <array>

namespace assay::ledger {

namespace {

constexpr std::string_view way_table =
    "CREATE TABLE way (campaign BIGINT NOT NULL REFERENCES campaign(id), workload INTEGER NOT NULL, way"
    " {text} NOT NULL, reason {text} NOT NULL, spread_in_turns DOUBLE PRECISION NOT NULL, spread DOUBLE"
    " PRECISION NOT NULL, PRIMARY KEY (campaign, workload))";

constexpr std::string_view spent_table =
    "CREATE TABLE spent (campaign BIGINT NOT NULL, cell INTEGER NOT NULL, round INTEGER NOT NULL, code "
    "INTEGER NOT NULL, library INTEGER NOT NULL, samples BIGINT NOT NULL, PRIMARY KEY (campaign, cell, round,"
    " code, library)) {clustered}";

constexpr std::array<std::string_view, 5> sample_tables = {
    "CREATE TABLE code (campaign BIGINT NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL, name {text} "
    "NOT"
    " NULL, file {text} NOT NULL, PRIMARY KEY (campaign, id))",
    "CREATE TABLE sampled (campaign BIGINT NOT NULL REFERENCES campaign(id), cell INTEGER NOT NULL, round "
    "INTEGER"
    " NOT NULL, period DOUBLE PRECISION NOT NULL, cpu DOUBLE PRECISION NOT NULL, requests DOUBLE PRECISION "
    "NOT NULL DEFAULT 0, lost BIGINT NOT NULL, "
    "PRIMARY"
    " KEY (campaign, cell, round))",
    spent_table,
    "CREATE TABLE code_match (campaign BIGINT NOT NULL REFERENCES campaign(id), baseline INTEGER NOT NULL,"
    " candidate INTEGER NOT NULL, code INTEGER NOT NULL, likeness {text} NOT NULL, baseline_in_line INTEGER,"
    " candidate_in_line INTEGER, calls_alone INTEGER NOT NULL DEFAULT 0, PRIMARY KEY (campaign, baseline, "
    "candidate, code))",
    "CREATE TABLE sample_remark (campaign BIGINT NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL, text "
    "{text}"
    " NOT NULL, PRIMARY KEY (campaign, id))"};

constexpr std::string_view history_values_table =
    "CREATE TABLE history_values (campaign BIGINT NOT NULL REFERENCES campaign(id), reference {text} NOT "
    "NULL,"
    " judge INTEGER NOT NULL, kept {text} NOT NULL, PRIMARY KEY (campaign, reference, judge))";

constexpr std::string_view commit_index = "CREATE INDEX candidate_commit ON candidate (commit_id)";

constexpr std::string_view plan_index = "CREATE INDEX campaign_plan ON campaign (kind, plan_digest)";

constexpr std::array<std::string_view, 26> statements = {
    "CREATE TABLE ledger_version (version INTEGER NOT NULL)",
    "CREATE TABLE machine (id {id}, fingerprint {text} NOT NULL, mark {text} NOT NULL DEFAULT '', UNIQUE"
    " (fingerprint, mark))",
    "CREATE TABLE campaign (id {id}, uid {text} NOT NULL UNIQUE, title {text} NOT NULL, kind {text} NOT"
    " NULL, label {text} NOT NULL, plan {text} NOT NULL, plan_digest {text} NOT NULL, seed {text} NOT"
    " NULL, state {text} NOT NULL, started BIGINT NOT NULL, margin DOUBLE PRECISION NOT NULL, rounds_min"
    " INTEGER NOT NULL, rounds_max INTEGER NOT NULL, repeat_command {text} NOT NULL, folder {text} NOT NULL "
    "DEFAULT '', confirms BIGINT REFERENCES campaign(id),"
    " next_round INTEGER NOT NULL DEFAULT 1, looked INTEGER NOT NULL DEFAULT"
    " 0, budget_ms BIGINT, opened BIGINT, upto INTEGER, closing {text} NOT NULL DEFAULT '', layouts"
    " INTEGER NOT NULL DEFAULT 0, way {text} NOT NULL DEFAULT 'turns')",
    "CREATE TABLE session (campaign BIGINT NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL,"
    " machine BIGINT NOT NULL REFERENCES machine(id), boot {text} NOT NULL, token {text}, name {text}"
    " NOT NULL DEFAULT '', started BIGINT NOT NULL, seen BIGINT NOT NULL, ready BIGINT, ended BIGINT,"
    " PRIMARY KEY (campaign, id), UNIQUE (campaign, token))",
    "CREATE TABLE fact (campaign BIGINT NOT NULL, session INTEGER NOT NULL, name {text} NOT NULL, value"
    " {text} NOT NULL, PRIMARY KEY (campaign, session, name))",
    "CREATE TABLE candidate (campaign BIGINT NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL, name"
    " {text} NOT NULL, baseline INTEGER, twin_of INTEGER, exe {text}"
    " NOT NULL, exe_digest {text} NOT NULL, commit_id {text} NOT NULL, commit_time BIGINT, identity"
    " {text} NOT NULL, compiler {text} NOT NULL, flags {text} NOT NULL, distinguishing_arguments {text} NOT "
    "NULL, loaded_digest {text} NOT NULL DEFAULT '', PRIMARY KEY (campaign, id))",
    "CREATE TABLE built (campaign BIGINT NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL,"
    " candidate INTEGER NOT NULL, setting {text} NOT NULL, tree {text} NOT NULL, steps {text} NOT NULL,"
    " compiler {text} NOT NULL, flags {text} NOT NULL, exe_digest {text} NOT NULL, layouts INTEGER"
    " NOT NULL DEFAULT 0, layout_method {text} NOT NULL DEFAULT '', loaded_digest {text} NOT NULL DEFAULT '',"
    " PRIMARY KEY (campaign, id))",
    "CREATE TABLE workload (campaign BIGINT NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL, name"
    " {text} NOT NULL, run {text} NOT NULL, check_warning {text} NOT NULL DEFAULT '', weight DOUBLE PRECISION"
    " NOT NULL DEFAULT 1, digest {text} NOT NULL DEFAULT '', PRIMARY KEY (campaign, id))",
    "CREATE TABLE factor (campaign BIGINT NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL, name"
    " {text} NOT NULL, role {text} NOT NULL, PRIMARY KEY (campaign, id))",
    "CREATE TABLE setting (campaign BIGINT NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL, text"
    " {text} NOT NULL, PRIMARY KEY (campaign, id))",
    "CREATE TABLE setting_value (campaign BIGINT NOT NULL, setting INTEGER NOT NULL, factor {text} NOT"
    " NULL, kind {text} NOT NULL, text {text} NOT NULL, number DOUBLE PRECISION, PRIMARY KEY (campaign,"
    " setting, factor))",
    "CREATE TABLE cell (campaign BIGINT NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL, candidate"
    " INTEGER NOT NULL, workload INTEGER NOT NULL, setting INTEGER NOT NULL, status {text} NOT NULL,"
    " detail {text} NOT NULL, PRIMARY KEY (campaign, id))",
    "CREATE TABLE comparison (campaign BIGINT NOT NULL REFERENCES campaign(id), baseline INTEGER NOT NULL,"
    " candidate INTEGER NOT NULL, decided INTEGER, PRIMARY KEY (campaign, baseline, candidate))",
    "CREATE TABLE metric (campaign BIGINT NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL, name"
    " {text} NOT NULL, unit {text} NOT NULL, direction {text} NOT NULL, scale {text} NOT NULL, subject {text}"
    " NOT NULL, exact INTEGER NOT NULL, watched INTEGER NOT NULL, margin DOUBLE PRECISION, ceiling"
    " DOUBLE PRECISION, require {text}, missing {text}, lead_in {text} NOT NULL DEFAULT '', supporting "
    "INTEGER NOT NULL DEFAULT 0,"
    " resolution_limit DOUBLE PRECISION NOT NULL DEFAULT 0, PRIMARY KEY (campaign, id))",
    "CREATE TABLE round (campaign BIGINT NOT NULL REFERENCES campaign(id), number INTEGER NOT NULL,"
    " session INTEGER NOT NULL, state {text} NOT NULL, role {text} NOT NULL DEFAULT 'measured',"
    " trial_order {text} NOT NULL, claimed BIGINT NOT NULL DEFAULT 0, heard BIGINT NOT NULL DEFAULT 0,"
    " due BIGINT NOT NULL DEFAULT 0, doubted BIGINT, closed BIGINT, PRIMARY KEY (campaign, number))",
    "CREATE TABLE trial (id {id}, campaign BIGINT NOT NULL REFERENCES campaign(id), round INTEGER, cell"
    " INTEGER NOT NULL, repeat INTEGER NOT NULL DEFAULT 0, session INTEGER NOT NULL, role {text} NOT"
    " NULL, position INTEGER NOT NULL, batch INTEGER NOT NULL, calls BIGINT NOT NULL, outcome {text} NOT"
    " NULL, exit_status INTEGER NOT NULL, signal INTEGER NOT NULL, output_bytes BIGINT NOT NULL,"
    " output_digest {text} NOT NULL, latencies {text} NOT NULL DEFAULT '', orphans INTEGER NOT NULL, "
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
    " NULL, p DOUBLE PRECISION NOT NULL, p_equivalence DOUBLE PRECISION NOT NULL, decision {text} NOT NULL,"
    " upto INTEGER NOT NULL DEFAULT 0, decided INTEGER NOT NULL DEFAULT 0, PRIMARY KEY (campaign,"
    " baseline, candidate, metric, number))",
    "CREATE TABLE reduced (campaign BIGINT PRIMARY KEY REFERENCES campaign(id), kept {text} NOT NULL)",
    way_table,
    history_values_table,
    commit_index,
    plan_index,
    "INSERT INTO ledger_version (version) VALUES (6)",
};

/// From version 1, where campaigns ran in turns or abreast.
constexpr std::array<std::string_view, 5> statements_to_2 = {
    "ALTER TABLE campaign ADD COLUMN way {text} NOT NULL DEFAULT 'turns'",
    "UPDATE campaign SET way = 'abreast' WHERE abreast = 1",
    "ALTER TABLE campaign DROP COLUMN abreast",
    way_table,
    "UPDATE ledger_version SET version = 2",
};

/// From version 3, where time in libraries was that of their own functions.
constexpr std::array<std::string_view, 4> statements_from_3 = {
    "ALTER TABLE spent RENAME TO spent_before",
    spent_table,
    "INSERT INTO spent SELECT campaign, cell, round, code, -1, samples FROM spent_before",
    "DROP TABLE spent_before",
};

/// From version 5, where a history was judged anew whenever it was read.
constexpr std::array<std::string_view, 6> statements_to_6 = {
    history_values_table,
    "ALTER TABLE candidate ADD COLUMN loaded_digest {text} NOT NULL DEFAULT ''",
    "ALTER TABLE built ADD COLUMN loaded_digest {text} NOT NULL DEFAULT ''",
    commit_index,
    plan_index,
    "UPDATE ledger_version SET version = 6",
};

constexpr std::array<std::string_view, 23> campaign_tables = {
    "spent",   "sampled", "code_match", "code",  "sample_remark", "way",        "reduced", "history_values",
    "look",    "checked", "trial",      "round", "metric",        "comparison", "cell",    "setting_value",
    "setting", "factor",  "workload",   "built", "candidate",     "fact",       "session"};

}  // namespace

std::vector<std::string_view> statements_from(int version) {
  std::vector<std::string_view> all;
  const auto add = [&](std::span<const std::string_view> some) {
    all.insert(all.end(), some.begin(), some.end());
  };
  if (version == 0) add(statements);
  if (version == 1) add(statements_to_2);
  if (version == 3)
    add(statements_from_3);
  else if (version < 3)
    add(sample_tables);
  if (version > 0 && version < 5) all.emplace_back("ALTER TABLE round ADD COLUMN doubted BIGINT");
  if (version > 0) add(statements_to_6);
  return all;
}
std::span<const std::string_view> tables_of_a_campaign() { return campaign_tables; }
std::span<const std::string_view> code_sample_tables() {
  return std::span(campaign_tables).first(sample_tables.size());
}

}  // namespace assay::ledger
