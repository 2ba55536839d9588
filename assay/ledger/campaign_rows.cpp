#include <map>
#include <string>
#include <unordered_map>
#include <utility>
#include <vector>

#include "assay/ledger/connection.hpp"
#include "assay/ledger/rows.hpp"
#include "assay/ledger/sql_rows.hpp"
#include "assay/model/error.hpp"
#include "assay/model/log.hpp"

namespace assay::ledger {

namespace {

using soci::into;
using soci::use;
using Rows = soci::rowset<soci::row>;
using Kind = Column::Kind;

/// Columns that come before a value's own.
std::vector<Column> with_key(std::vector<Column> key, const std::vector<Column>& columns) {
  key.insert(key.end(), columns.begin(), columns.end());
  return key;
}

const std::vector<Column> key_columns = {{"campaign", Kind::whole}, {"id", Kind::whole}};

/// Every thing of a table as a row under its number.
template <class Things>
void put_all(soci::session& sql, const std::string& table, CampaignId campaign, const Things& things) {
  using T = typename Things::value_type;
  Insert insert(sql, table, with_key(key_columns, columns_of(T{})));
  std::int64_t id = 0;
  for (const auto& thing : things) {
    std::vector<Value> values = {campaign.value, id++};
    for (auto& value : values_of(thing)) values.push_back(std::move(value));
    insert.run(values);
  }
}

/// The other way. Throws Damaged where numbers are missing.
template <class Keep>
void read_all(soci::session& sql, const std::string& table, const std::string& columns, CampaignId campaign,
              Keep&& keep) {
  const Rows rows =
      (sql.prepare << "SELECT id, " + columns + " FROM " + table + " WHERE campaign = :c ORDER BY id",
       use(campaign.value));
  std::int64_t expected = 0;
  for (const auto& row : rows) {
    if (codec::read_whole(value_of(row, 0)) != expected++)
      throw codec::CorruptData("a " + table + " is missing in it");
    keep(row);
  }
}

template <class T, class Into>
void read_things(soci::session& sql, const std::string& table, CampaignId campaign, Into&& add) {
  read_all(sql, table, names_of_columns<T>(), campaign, [&](const soci::row& row) {
    T thing{};
    read_row(row, 1, thing);
    add(std::move(thing));
  });
}

/// The machine's number in this ledger, which is made if need be.
std::int64_t machine_number(soci::session& sql, const std::string& fingerprint, const std::string& mark) {
  std::int64_t id = 0;
  sql << "INSERT INTO machine (fingerprint, mark) VALUES (:f, :m) ON CONFLICT DO NOTHING", use(fingerprint),
      use(mark);
  sql << "SELECT id FROM machine WHERE fingerprint = :f AND mark = :m", use(fingerprint), use(mark), into(id);
  return id;
}

void put_settings_and_cells(soci::session& sql, CampaignId campaign, const Record& record) {
  const auto states = cell_statuses(record.design, record.log);
  Insert setting_row(sql, "setting", with_key(key_columns, {{"text", Kind::text}}));
  Insert level_row(sql, "setting_value",
                   {{"campaign", Kind::whole},
                    {"setting", Kind::whole},
                    {"factor", Kind::text},
                    {"kind", Kind::text},
                    {"text", Kind::text},
                    {"number", Kind::number}});
  Insert cell_row(sql, "cell",
                  with_key(key_columns, {{"candidate", Kind::whole},
                                         {"workload", Kind::whole},
                                         {"setting", Kind::whole},
                                         {"status", Kind::text},
                                         {"detail", Kind::text}}));
  std::map<std::string, std::int64_t> settings;
  for (const auto id : record.design.cells.ids()) {
    const auto& cell = record.design.cells[id];
    const auto [setting, fresh] =
        settings.try_emplace(cell.setting.text(), static_cast<std::int64_t>(settings.size()));
    if (fresh) {
      setting_row.run({campaign.value, setting->second, cell.setting.text()});
      for (const auto& [factor, level] : cell.setting.levels)
        level_row.run({campaign.value, setting->second, factor, codec::kind_of(level), to_string(level),
                       codec::to_value(number_of(level))});
    }
    cell_row.run({campaign.value, id.value, cell.candidate.value, cell.workload.value, setting->second,
                  to_string(states[id].code), states[id].detail});
  }
}

void read_cells(soci::session& sql, CampaignId campaign, Record& record) {
  std::map<std::int64_t, Setting> settings;
  const Rows listed = (sql.prepare << "SELECT id FROM setting WHERE campaign = :c", use(campaign.value));
  for (const auto& row : listed) settings[codec::read_whole(value_of(row, 0))];
  const Rows levels =
      (sql.prepare << "SELECT setting, factor, kind, text FROM setting_value WHERE campaign = :c",
       use(campaign.value));
  for (const auto& row : levels)
    settings[codec::read_whole(value_of(row, 0))].levels[codec::read_text(value_of(row, 1))] =
        codec::read_level(codec::read_text(value_of(row, 2)), codec::read_text(value_of(row, 3)));
  read_all(sql, "cell", "candidate, workload, setting, status, detail", campaign, [&](const soci::row& row) {
    Cell cell;
    codec::from_value(value_of(row, 1), cell.candidate);
    codec::from_value(value_of(row, 2), cell.workload);
    const auto setting = settings.find(codec::read_whole(value_of(row, 3)));
    if (setting == settings.end()) throw codec::CorruptData("a setting is missing in it");
    cell.setting = setting->second;
    CellStatus state;
    codec::from_value(value_of(row, 4), state.code);
    codec::from_value(value_of(row, 5), state.detail);
    const auto id = record.design.cells.add(std::move(cell));
    if (!state.is_ok()) record.log.status_changes.push_back({id, std::move(state)});
  });
}

}  // namespace

IdTable<SessionId, Session> read_sessions(soci::session& sql, CampaignId campaign) {
  IdTable<SessionId, Session> sessions;
  read_all(sql, "session", "machine, boot, name", campaign, [&](const soci::row& row) {
    Session session;
    codec::from_value(value_of(row, 1), session.machine);
    codec::from_value(value_of(row, 2), session.boot);
    codec::from_value(value_of(row, 3), session.label);
    sessions.add(std::move(session));
  });
  const Rows facts =
      (sql.prepare << "SELECT session, name, value FROM fact WHERE campaign = :c ORDER BY session, name",
       use(campaign.value));
  for (const auto& row : facts) {
    SessionId session;
    codec::from_value(value_of(row, 0), session);
    if (!sessions.contains(session)) throw codec::CorruptData("a session is missing in it");
    sessions[session].facts.push_back(
        {codec::read_text(value_of(row, 1)), codec::read_text(value_of(row, 2))});
  }
  return sessions;
}

void put_check_warning(soci::session& sql, CampaignId campaign, const CheckWarning& doubt) {
  const auto text = codec::sanitize(doubt.text);
  sql << "UPDATE workload SET check_warning = :d WHERE campaign = :c AND id = :i", use(text),
      use(campaign.value), use(doubt.workload.value);
}

CampaignId put_campaign(soci::session& sql, const Record& record, const std::string& token) {
  const auto& design = record.design;
  Insert row(sql, "campaign",
             with_key({{"label", Kind::text}, {"state", Kind::text}, {"next_round", Kind::whole}},
                      columns_of(design)),
             true);
  std::int64_t next_round = 1;
  for (const auto& round : record.log.rounds)
    next_round = std::max<std::int64_t>(next_round, round.number + 1);
  std::vector<Value> values = {std::string{}, to_string(record.log.state), next_round};
  for (auto& value : values_of(design)) values.push_back(std::move(value));
  const CampaignId campaign{row.run(values)};
  if (!design.confirms_uid.empty())
    sql << "UPDATE campaign SET confirms = (SELECT o.id FROM campaign o WHERE o.uid = :u) WHERE id = :c",
        use(design.confirms_uid), use(campaign.value);
  for (const auto id : record.log.sessions.ids())
    put_session(sql, campaign, id, record.log.sessions[id], token);
  put_all(sql, "candidate", campaign, design.candidates);
  put_all(sql, "built", campaign, design.builds);
  put_all(sql, "workload", campaign, design.workloads);
  for (const auto& doubt : record.log.check_warnings) put_check_warning(sql, campaign, doubt);
  put_all(sql, "factor", campaign, design.factors);
  put_settings_and_cells(sql, campaign, record);
  Insert contrast_row(sql, "comparison", with_key({{"campaign", Kind::whole}}, columns_of(Comparison{})));
  for (const auto& comparison : design.comparisons)
    contrast_row.run({campaign.value, comparison.baseline.value, comparison.candidate.value});
  put_all(sql, "metric", campaign, design.metrics);
  for (const auto& choice : record.log.ways) put_way_choice(sql, campaign, choice);
  return campaign;
}

void put_session(soci::session& sql, CampaignId campaign, SessionId id, const Session& session,
                 const std::string& token) {
  const auto fingerprint = session.fact("fingerprint");
  const auto machine = machine_number(sql, fingerprint.empty() ? "unknown" : fingerprint, session.mark);
  const auto now = time_of(sql);
  Insert row(sql, "session",
             with_key(key_columns, {{"machine", Kind::whole},
                                    {"boot", Kind::text},
                                    {"token", Kind::text},
                                    {"name", Kind::text},
                                    {"started", Kind::whole},
                                    {"seen", Kind::whole}}));
  row.run({campaign.value, id.value, machine, session.boot, token.empty() ? Value{} : Value{token},
           codec::sanitize(session.label), now, now});
  Insert fact_row(
      sql, "fact",
      {{"campaign", Kind::whole}, {"session", Kind::whole}, {"name", Kind::text}, {"value", Kind::text}});
  for (const auto& fact : session.facts) fact_row.run({campaign.value, id.value, fact.name, fact.value});
}

Record read_campaign(soci::session& sql, CampaignId campaign) {
  Record record;
  auto& design = record.design;
  const Rows heads =
      (sql.prepare
           << "SELECT state, coalesce((SELECT o.uid FROM campaign o WHERE o.id = campaign.confirms), ''), " +
                  names_of_columns<Design>() + " FROM campaign WHERE id = :c",
       use(campaign.value));
  bool found = false;
  for (const auto& row : heads) {
    found = true;
    codec::from_value(value_of(row, 0), record.log.state);
    codec::from_value(value_of(row, 1), design.confirms_uid);
    read_row(row, 2, design);
  }
  if (!found) throw Error("the campaign is no longer in the ledger", "", "see what there is: assay ledger");
  read_things<Candidate>(sql, "candidate", campaign,
                         [&](Candidate&& candidate) { design.candidates.add(std::move(candidate)); });
  read_things<BuildInfo>(sql, "built", campaign,
                         [&](BuildInfo&& build) { design.builds.push_back(std::move(build)); });
  read_all(sql, "workload", "check_warning, " + names_of_columns<Workload>(), campaign,
           [&](const soci::row& row) {
             Workload workload;
             read_row(row, 2, workload);
             std::string doubt;
             codec::from_value(value_of(row, 1), doubt);
             const auto id = design.workloads.add(std::move(workload));
             if (!doubt.empty()) record.log.check_warnings.push_back({id, std::move(doubt)});
           });
  read_things<Factor>(sql, "factor", campaign,
                      [&](Factor&& factor) { design.factors.push_back(std::move(factor)); });
  read_cells(sql, campaign, record);
  const Rows comparisons =
      (sql.prepare << "SELECT " + names_of_columns<Comparison>() +
                          " FROM comparison WHERE campaign = :c ORDER BY candidate, baseline",
       use(campaign.value));
  for (const auto& row : comparisons) read_row(row, 0, design.comparisons.emplace_back());
  read_things<Metric>(sql, "metric", campaign,
                      [&](Metric&& metric) { design.metrics.add(std::move(metric)); });
  record.log.sessions = read_sessions(sql, campaign);
  return record;
}

namespace {

using Rows = soci::rowset<soci::row>;

}  // namespace

std::vector<CampaignSummary> read_summaries(soci::session& sql, const std::string& condition,
                                            const std::vector<std::string>& texts, std::size_t most) {
  using soci::use;
  std::vector<CampaignSummary> all;
  const auto query =
      "SELECT c.id, c.uid, c.title, c.kind, c.label, c.plan_digest, c.repeat_command, c.state, c.started,"
      " (SELECT count(*) FROM round r WHERE r.campaign = c.id AND r.state = 'complete'"
      "  AND r.role = 'measured') FROM campaign c WHERE " +
      condition + " ORDER BY c.id DESC" + (most > 0 ? " LIMIT " + std::to_string(most) : "");
  auto prepared = sql.prepare << query;
  for (const auto& text : texts) prepared, use(text);
  const Rows rows = prepared;
  for (const auto& row : rows) {
    CampaignSummary summary;
    codec::from_value(value_of(row, 0), summary.id);
    std::size_t column = 1;
    const auto read = [&](auto& field) { codec::from_value(value_of(row, column++), field); };
    read(summary.uid);
    read(summary.title);
    read(summary.kind);
    read(summary.label);
    read(summary.plan_digest);
    read(summary.repeat);
    read(summary.state);
    read(summary.started);
    const auto rounds = value_of(row, column);  // a computed column has no declared type
    summary.rounds = std::holds_alternative<std::string>(rounds)
                         ? static_cast<int>(codec::read_unsigned(std::get<std::string>(rounds)))
                         : static_cast<int>(codec::read_whole(rounds));
    all.push_back(std::move(summary));
  }
  if (all.empty()) return all;
  std::unordered_map<std::int64_t, std::string> candidates;
  for (const auto& summary : all) candidates[summary.id.value];
  const Rows names =
      (sql.prepare
           << "SELECT campaign, name FROM candidate WHERE campaign BETWEEN :a AND :b ORDER BY campaign, id",
       use(all.back().id.value), use(all.front().id.value));
  for (const auto& row : names)
    if (const auto of = candidates.find(codec::read_whole(value_of(row, 0))); of != candidates.end())
      of->second += (of->second.empty() ? "" : " vs ") + codec::read_text(value_of(row, 1));
  for (auto& summary : all) summary.candidates = std::move(candidates[summary.id.value]);
  return all;
}

}  // namespace assay::ledger
