#include <algorithm>
#include <map>

#include "assay/ledger/ledger.hpp"
#include "assay/ledger/spelling.hpp"
#include "assay/ledger/state.hpp"

namespace assay::ledger {
namespace {

using soci::into;
using soci::use;
using Rows = soci::rowset<soci::row>;

/// SQLite has one integer type; SOCI reads it as whichever the column was declared, and computed ones as
/// text.
std::int64_t whole(const soci::row& row, std::size_t column) {
  switch (row.get_properties(column).get_data_type()) {
    case soci::dt_integer:
      return row.get<int>(column);
    case soci::dt_unsigned_long_long:
      return static_cast<std::int64_t>(row.get<unsigned long long>(column));
    case soci::dt_string:
      return std::stoll(row.get<std::string>(column));
    default:
      return row.get<long long>(column);
  }
}

bool is_there(const soci::row& row, std::size_t column) { return row.get_indicator(column) == soci::i_ok; }

template <class T>
std::optional<Id<T>> id_or_none(const soci::row& row, std::size_t column) {
  if (!is_there(row, column)) return {};
  return Id<T>{whole(row, column)};
}

void read_info(soci::session& sql, std::int64_t id, CampaignInfo& info) {
  std::string seed, state;
  int abreast = 0;
  sql << "SELECT uid, title, kind, label, plan, plan_digest, seed, state, started, margin, rounds_min, "
         "rounds_max, abreast, repeat, folder,"
         " coalesce((SELECT o.uid FROM campaign o WHERE o.id = campaign.again_of), '') FROM "
         "campaign WHERE id = :c",
      use(id), into(info.uid), into(info.title), into(info.kind), into(info.label), into(info.plan),
      into(info.plan_digest), into(seed), into(state), into(info.started), into(info.margin),
      into(info.rounds_min), into(info.rounds_max), into(abreast), into(info.repeat), into(info.folder),
      into(info.again_of);
  info.abreast = abreast != 0;
  info.seed = std::stoull(seed);
  info.state = read_choice<CampaignState>(state);
}

void read_candidates(soci::session& sql, std::int64_t id, Record& record) {
  const Rows rows =
      (sql.prepare << "SELECT name, against, twin_of, exe, exe_digest, commit_id, commit_time, identity,"
                      " compiler, flags, options FROM candidate WHERE campaign = :c ORDER BY id",
       use(id));
  for (const auto& row : rows) {
    Candidate candidate{.name = row.get<std::string>(0)};
    candidate.against = id_or_none<CandidateTag>(row, 1);
    candidate.twin_of = id_or_none<CandidateTag>(row, 2);
    candidate.from = {.exe = row.get<std::string>(3),
                      .exe_digest = row.get<std::string>(4),
                      .identity = row.get<std::string>(7),
                      .commit = row.get<std::string>(5),
                      .compiler = row.get<std::string>(8),
                      .flags = row.get<std::string>(9)};
    candidate.options = read_texts(row.get<std::string>(10));
    if (is_there(row, 6)) candidate.from.commit_time = whole(row, 6);
    record.candidates.push_back(std::move(candidate));
  }
  const Rows factors =
      (sql.prepare << "SELECT name, role FROM factor WHERE campaign = :c ORDER BY id", use(id));
  for (const auto& row : factors) {
    const auto role = row.get<std::string>(1);
    record.factors.push_back({.name = row.get<std::string>(0),
                              .levels = {},
                              .role = role == "size"      ? Factor::Role::size
                                      : role == "threads" ? Factor::Role::threads
                                                          : Factor::Role::option});
  }
  const Rows workloads =
      (sql.prepare << "SELECT name, run, doubt, weight FROM workload WHERE campaign = :c ORDER BY id",
       use(id));
  for (const auto& row : workloads)
    record.workloads.push_back({row.get<std::string>(0), read_texts(row.get<std::string>(1)),
                                row.get<std::string>(2), row.get<double>(3)});
}

void read_cells_of(soci::session& sql, std::int64_t id, Record& record) {
  std::map<std::int64_t, Setting> settings;
  const Rows values =
      (sql.prepare << "SELECT setting, factor, kind, text FROM setting_value WHERE campaign = :c", use(id));
  for (const auto& row : values)
    settings[whole(row, 0)].levels[row.get<std::string>(1)] =
        read_level(row.get<std::string>(2), row.get<std::string>(3));
  const Rows cells = (sql.prepare << "SELECT candidate, workload, setting, standing, detail FROM cell"
                                     " WHERE campaign = :c ORDER BY id",
                      use(id));
  for (const auto& row : cells)
    record.cells.push_back({.candidate = {whole(row, 0)},
                            .workload = {whole(row, 1)},
                            .setting = settings[whole(row, 2)],
                            .standing = read_choice<Standing>(row.get<std::string>(3)),
                            .detail = row.get<std::string>(4)});
  const Rows contrasts = (sql.prepare << "SELECT baseline, candidate FROM contrast WHERE campaign = :c"
                                         " ORDER BY candidate, baseline",
                          use(id));
  for (const auto& row : contrasts) record.contrasts.push_back({{whole(row, 0)}, {whole(row, 1)}});
}

void read_metrics(soci::session& sql, std::int64_t id, Record& record) {
  const Rows rows =
      (sql.prepare << "SELECT name, unit, prefer, scale, about, exact, watched, margin, missing, supporting,"
                      " coarse_below, require, ceiling FROM metric"
                      " WHERE campaign = :c ORDER BY id",
       use(id));
  for (const auto& row : rows) {
    record.metrics.push_back({.name = row.get<std::string>(0),
                              .unit = row.get<std::string>(1),
                              .prefer = read_choice<Prefer>(row.get<std::string>(2)),
                              .scale = read_choice<Scale>(row.get<std::string>(3)),
                              .about = read_choice<About>(row.get<std::string>(4)),
                              .exact = whole(row, 5) != 0,
                              .supporting = whole(row, 9) != 0,
                              .coarse_below = row.get<double>(10)});
    Demand demand{.watched = whole(row, 6) != 0};
    if (is_there(row, 7)) demand.margin = row.get<double>(7);
    if (is_there(row, 8)) demand.missing = row.get<std::string>(8);
    if (is_there(row, 11)) demand.require = parse_requirement(row.get<std::string>(11));
    if (is_there(row, 12)) demand.ceiling = row.get<double>(12);
    record.demands.push_back(demand);
  }
}

void read_sittings_and_rounds(soci::session& sql, std::int64_t id, Record& record) {
  const Rows sittings =
      (sql.prepare << "SELECT machine, boot FROM sitting WHERE campaign = :c ORDER BY id", use(id));
  for (const auto& row : sittings) record.sittings.push_back({{whole(row, 0)}, row.get<std::string>(1), {}});
  const Rows facts =
      (sql.prepare << "SELECT sitting, name, value FROM fact WHERE campaign = :c ORDER BY sitting, name",
       use(id));
  for (const auto& row : facts)
    record.sittings.at(static_cast<std::size_t>(whole(row, 0)))
        .facts.push_back({row.get<std::string>(1), row.get<std::string>(2)});
  const Rows rounds =
      (sql.prepare << "SELECT number, sitting, state, trial_order FROM round WHERE campaign = :c"
                      " ORDER BY number",
       use(id));
  for (const auto& row : rounds)
    record.rounds.push_back({.number = static_cast<int>(whole(row, 0)),
                             .sitting = {whole(row, 1)},
                             .state = read_choice<RoundState>(row.get<std::string>(2)),
                             .order = read_cells(row.get<std::string>(3))});
}

void read_trials(soci::session& sql, std::int64_t id, Record& record) {
  std::map<std::int64_t, std::size_t> places;
  const Rows rows =
      (sql.prepare << "SELECT id, round, cell, sitting, role, position, heat, calls, outcome, exit_status,"
                      " signal, output_bytes, output_digest, leftovers, detail FROM trial"
                      " WHERE campaign = :c ORDER BY id",
       use(id));
  for (const auto& row : rows) {
    places[whole(row, 0)] = record.trials.size();
    Trial trial{.cell = {whole(row, 2)},
                .sitting = {whole(row, 3)},
                .role = read_choice<Role>(row.get<std::string>(4)),
                .position = static_cast<int>(whole(row, 5)),
                .heat = static_cast<int>(whole(row, 6)),
                .calls = whole(row, 7),
                .outcome = read_choice<Outcome>(row.get<std::string>(8)),
                .exit_status = static_cast<int>(whole(row, 9)),
                .signal = static_cast<int>(whole(row, 10)),
                .output_bytes = static_cast<std::uint64_t>(whole(row, 11)),
                .output_digest = row.get<std::string>(12),
                .detail = row.get<std::string>(14),
                .leftovers = static_cast<int>(whole(row, 13))};
    if (is_there(row, 1)) trial.round = static_cast<int>(whole(row, 1));
    record.trials.push_back(std::move(trial));
  }
  const Rows readings =
      (sql.prepare << "SELECT r.trial, r.metric, r.value FROM reading r JOIN trial t ON t.id = r.trial"
                      " WHERE t.campaign = :c ORDER BY r.trial, r.metric",
       use(id));
  for (const auto& row : readings)
    record.trials[places.at(whole(row, 0))].readings.push_back({{whole(row, 1)}, row.get<double>(2)});
  const Rows points =
      (sql.prepare << "SELECT s.trial, s.metric, s.at, s.value FROM series s JOIN trial t ON t.id = s.trial"
                      " WHERE t.campaign = :c ORDER BY s.trial, s.metric, s.place",
       use(id));
  for (const auto& row : points) {
    Point point{.metric = {whole(row, 1)}, .value = row.get<double>(3)};
    if (is_there(row, 2)) point.at = row.get<double>(2);
    record.trials[places.at(whole(row, 0))].series.push_back(point);
  }
}

}  // namespace

std::vector<Summary> Ledger::list() {
  auto& sql = state_->sql;
  return state_->transact([&] {
    std::vector<Summary> all;
    const Rows rows =
        (sql.prepare
         << "SELECT c.id, c.uid, c.title, c.kind, c.label, c.state, c.started,"
            " (SELECT count(*) FROM round r WHERE r.campaign = c.id AND r.number > 1"
            "  AND r.state = 'whole' AND EXISTS (SELECT 1 FROM trial t WHERE t.campaign = r.campaign"
            "  AND t.round = r.number AND t.role = 'counted')),"
            " (SELECT count(*) FROM trial t WHERE t.campaign = c.id AND t.role <> 'build'),"
            " (SELECT coalesce(group_concat(name, ' vs '), '') FROM"
            "  (SELECT name FROM candidate n WHERE n.campaign = c.id ORDER BY n.id))"
            " FROM campaign c ORDER BY c.id DESC");
    for (const auto& row : rows)
      all.push_back({.id = {whole(row, 0)},
                     .uid = row.get<std::string>(1),
                     .title = row.get<std::string>(2),
                     .kind = row.get<std::string>(3),
                     .label = row.get<std::string>(4),
                     .candidates = row.get<std::string>(9),
                     .state = read_choice<CampaignState>(row.get<std::string>(5)),
                     .started = whole(row, 6),
                     .rounds = static_cast<int>(whole(row, 7)),
                     .trials = whole(row, 8)});
    return all;
  });
}

Record Ledger::read(CampaignId campaign) {
  auto& sql = state_->sql;
  return state_->transact([&] {
    Record record;
    read_info(sql, campaign.value, record.info);
    read_candidates(sql, campaign.value, record);
    read_cells_of(sql, campaign.value, record);
    read_metrics(sql, campaign.value, record);
    read_sittings_and_rounds(sql, campaign.value, record);
    read_trials(sql, campaign.value, record);
    return record;
  });
}

std::vector<Look> Ledger::looks(CampaignId campaign) {
  auto& sql = state_->sql;
  return state_->transact([&] {
    std::vector<Look> all;
    const Rows rows =
        (sql.prepare << "SELECT baseline, candidate, metric, number, rounds, p, p_same, decision FROM look"
                        " WHERE campaign = :c ORDER BY metric, candidate, baseline, number",
         use(campaign.value));
    for (const auto& row : rows)
      all.push_back({.of = {{whole(row, 0)}, {whole(row, 1)}},
                     .metric = {whole(row, 2)},
                     .number = static_cast<int>(whole(row, 3)),
                     .rounds = static_cast<int>(whole(row, 4)),
                     .p = row.get<double>(5),
                     .p_same = row.get<double>(6),
                     .decision = row.get<std::string>(7)});
    return all;
  });
}

const Summary& choose(const std::vector<Summary>& campaigns, const std::string& text) {
  if (campaigns.empty())
    throw Error("there is no campaign yet", "ledger", "measure something first: assay duel, or assay run");
  if (text == "last") return campaigns.front();
  std::vector<const Summary*> found;
  for (const auto& campaign : campaigns) {
    if (!campaign.label.empty() && campaign.label == text) return campaign;
    if (campaign.uid.starts_with(text)) found.push_back(&campaign);
  }
  if (found.size() == 1) return *found.front();
  throw Error(found.empty() ? "there is no campaign \"" + text + "\""
                            : "\"" + text + "\" is the beginning of " + std::to_string(found.size()) +
                                  " campaigns' ids",
              "ledger", "assay ledger lists them all; a name, or a beginning that only one has, will do");
}

}  // namespace assay::ledger
