#include "assay/ledger/schema.hpp"

#include <array>

namespace assay::ledger {
namespace {

constexpr std::array<std::string_view, 22> statements = {
    "CREATE TABLE ledger_version (version INTEGER NOT NULL)",
    "CREATE TABLE machine (id {id}, fingerprint {text} NOT NULL, mark {text} NOT NULL DEFAULT '', UNIQUE"
    " (fingerprint, mark))",
    "CREATE TABLE campaign (id {id}, uid {text} NOT NULL UNIQUE, title {text} NOT NULL, kind {text} NOT"
    " NULL, label {text} NOT NULL, plan {text} NOT NULL, plan_digest {text} NOT NULL, seed {text} NOT"
    " NULL, state {text} NOT NULL, started BIGINT NOT NULL, margin DOUBLE PRECISION NOT NULL, rounds_min"
    " INTEGER NOT NULL, rounds_max INTEGER NOT NULL, abreast INTEGER NOT NULL DEFAULT 0, repeat_command "
    "{text}"
    " NOT NULL, folder {text} NOT NULL DEFAULT '', confirms BIGINT REFERENCES campaign(id),"
    " next_round INTEGER NOT NULL DEFAULT 1, looked INTEGER NOT NULL DEFAULT"
    " 0, budget_ms BIGINT, opened BIGINT, upto INTEGER, closing {text} NOT NULL DEFAULT '', layouts"
    " INTEGER NOT NULL DEFAULT 0)",
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
    "NULL, PRIMARY"
    " KEY (campaign, id))",
    "CREATE TABLE built (campaign BIGINT NOT NULL REFERENCES campaign(id), id INTEGER NOT NULL,"
    " candidate INTEGER NOT NULL, setting {text} NOT NULL, tree {text} NOT NULL, steps {text} NOT NULL,"
    " compiler {text} NOT NULL, flags {text} NOT NULL, exe_digest {text} NOT NULL, layouts INTEGER"
    " NOT NULL DEFAULT 0, layout_method {text} NOT NULL DEFAULT '', PRIMARY KEY (campaign, id))",
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
    " due BIGINT NOT NULL DEFAULT 0, closed BIGINT, PRIMARY KEY (campaign, number))",
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
    "INSERT INTO ledger_version (version) VALUES (1)",
};

constexpr std::array<std::string_view, 16> campaign_tables = {
    "reduced",       "look",    "checked", "trial",    "round", "metric",    "comparison", "cell",
    "setting_value", "setting", "factor",  "workload", "built", "candidate", "fact",       "session"};

}  // namespace

std::span<const std::string_view> schema() { return statements; }
std::span<const std::string_view> tables_of_a_campaign() { return campaign_tables; }

}  // namespace assay::ledger
