#include <chrono>
#include <map>

#include "assay/ledger/ledger.hpp"
#include "assay/ledger/schema.hpp"
#include "assay/ledger/spelling.hpp"
#include "assay/ledger/state.hpp"

namespace assay::ledger {
namespace {

using soci::use;

std::int64_t as_number(const std::optional<CandidateId>& id) { return id ? id->value : 0; }

std::int64_t milliseconds_now() {
  using namespace std::chrono;
  return duration_cast<milliseconds>(system_clock::now().time_since_epoch()).count();
}

/// The machine's number in this ledger, which is made if need be.
std::int64_t machine_number(soci::session& sql, const std::string& fingerprint) {
  std::int64_t id = 0;
  sql << "INSERT INTO machine (fingerprint) VALUES (:f) ON CONFLICT DO NOTHING", use(fingerprint);
  sql << "SELECT id FROM machine WHERE fingerprint = :f", use(fingerprint), soci::into(id);
  return id;
}

void put_sitting(soci::session& sql, std::int64_t campaign, std::int64_t id, const Sitting& sitting,
                 std::int64_t now) {
  std::string fingerprint = "unknown";
  for (const auto& fact : sitting.facts)
    if (fact.name == "fingerprint") fingerprint = fact.value;
  const auto machine = machine_number(sql, fingerprint);
  sql << "INSERT INTO sitting (campaign, id, machine, boot, started, seen) VALUES (:c, :i, :m, :b, :s, :n)",
      use(campaign), use(id), use(machine), use(sitting.boot), use(now), use(now);
  for (const auto& fact : sitting.facts) {
    const auto value = storable(fact.value);
    sql << "INSERT INTO fact (campaign, sitting, name, value) VALUES (:c, :s, :n, :v)", use(campaign),
        use(id), use(fact.name), use(value);
  }
}

void put_candidates(soci::session& sql, std::int64_t campaign, const Record& record) {
  for (std::size_t i = 0; i < record.candidates.size(); ++i) {
    const auto& candidate = record.candidates[i];
    const auto& from = candidate.from;
    const auto id = static_cast<std::int64_t>(i), against = as_number(candidate.against),
               twin_of = as_number(candidate.twin_of), commit_time = from.commit_time.value_or(0);
    auto has_against = there(candidate.against.has_value()), has_twin = there(candidate.twin_of.has_value()),
         has_time = there(from.commit_time.has_value());
    const auto name = storable(candidate.name), exe = storable(from.exe), identity = storable(from.identity);
    const auto options = spell(candidate.options);
    sql << "INSERT INTO candidate (campaign, id, name, against, twin_of, exe, exe_digest, commit_id, "
           "commit_time,"
           " identity, compiler, flags, options) VALUES (:c, :i, :n, :a, :t, :e, :d, :co, :ct, :id, :cm, :f, "
           ":o)",
        use(campaign), use(id), use(name), use(against, has_against), use(twin_of, has_twin), use(exe),
        use(from.exe_digest), use(from.commit), use(commit_time, has_time), use(identity), use(from.compiler),
        use(from.flags), use(options);
  }
}

void put_workloads_and_factors(soci::session& sql, std::int64_t campaign, const Record& record) {
  const auto& factors = record.factors;
  for (std::size_t i = 0; i < record.workloads.size(); ++i) {
    const auto id = static_cast<std::int64_t>(i);
    const auto name = storable(record.workloads[i].name), run = spell(record.workloads[i].run);
    const auto doubt = storable(record.workloads[i].doubt);
    sql << "INSERT INTO workload (campaign, id, name, run, doubt, weight) VALUES (:c, :i, :n, :r, :d, :w)",
        use(campaign), use(id), use(name), use(run), use(doubt), use(record.workloads[i].weight);
  }
  for (std::size_t i = 0; i < factors.size(); ++i) {
    const auto id = static_cast<std::int64_t>(i);
    const auto factor = storable(factors[i].name);
    const std::string role = factors[i].role == Factor::Role::size      ? "size"
                             : factors[i].role == Factor::Role::threads ? "threads"
                                                                        : "option";
    sql << "INSERT INTO factor (campaign, id, name, role) VALUES (:c, :i, :n, :r)", use(campaign), use(id),
        use(factor), use(role);
  }
}

void put_setting(soci::session& sql, std::int64_t campaign, std::int64_t id, const Setting& setting) {
  const auto text = storable(setting.text());
  sql << "INSERT INTO setting (campaign, id, text) VALUES (:c, :i, :t)", use(campaign), use(id), use(text);
  for (const auto& [factor, level] : setting.levels) {
    const auto kind = kind_of(level), value = storable(to_string(level));
    double number = 0;
    if (const auto* whole = std::get_if<std::int64_t>(&level)) number = static_cast<double>(*whole);
    if (const auto* real = std::get_if<double>(&level)) number = *real;
    auto has_number = there(kind == "integer" || kind == "number");
    sql << "INSERT INTO setting_value (campaign, setting, factor, kind, text, number) VALUES (:c, :s, :f, "
           ":k, :t, :n)",
        use(campaign), use(id), use(factor), use(kind), use(value), use(number, has_number);
  }
}

void put_cells(soci::session& sql, std::int64_t campaign, const Record& record) {
  std::map<std::string, std::int64_t> settings;
  for (std::size_t i = 0; i < record.cells.size(); ++i) {
    const auto& cell = record.cells[i];
    const auto [setting, fresh] =
        settings.try_emplace(cell.setting.text(), static_cast<std::int64_t>(settings.size()));
    if (fresh) put_setting(sql, campaign, setting->second, cell.setting);
    const auto id = static_cast<std::int64_t>(i);
    const auto standing = to_string(cell.standing), detail = storable(cell.detail);
    sql << "INSERT INTO cell (campaign, id, candidate, workload, setting, standing, detail)"
           " VALUES (:c, :i, :ca, :w, :s, :st, :d)",
        use(campaign), use(id), use(cell.candidate.value), use(cell.workload.value), use(setting->second),
        use(standing), use(detail);
  }
  for (const auto& contrast : record.contrasts)
    sql << "INSERT INTO contrast (campaign, baseline, candidate) VALUES (:c, :b, :x)", use(campaign),
        use(contrast.baseline.value), use(contrast.candidate.value);
}

void put_metrics(soci::session& sql, std::int64_t campaign, const Record& record) {
  for (std::size_t i = 0; i < record.metrics.size(); ++i) {
    const auto& metric = record.metrics[i];
    const auto& demand = record.demands[i];
    const auto id = static_cast<std::int64_t>(i);
    const auto prefer = spell(metric.prefer), scale = spell(metric.scale), about = spell(metric.about);
    const int exact = metric.exact ? 1 : 0, watched = demand.watched ? 1 : 0;
    const int is_supporting = metric.supporting ? 1 : 0;
    const double margin = demand.margin.value_or(0);
    const auto name = storable(metric.name), missing = storable(demand.missing);
    auto is_missing = there(!missing.empty());
    const std::string require = demand.require ? demand.require->text : "";
    auto has_require = there(demand.require.has_value());
    const double ceiling = demand.ceiling.value_or(0);
    auto has_margin = there(demand.margin.has_value()), has_ceiling = there(demand.ceiling.has_value());
    sql << "INSERT INTO metric (campaign, id, name, unit, prefer, scale, about, exact, watched, margin,"
           " missing, supporting, coarse_below, require, ceiling)"
           " VALUES (:c, :i, :n, :u, :p, :s, :a, :e, :w, :m, :mi, :su, :co, :rq, :ce)",
        use(campaign), use(id), use(name), use(metric.unit), use(prefer), use(scale), use(about), use(exact),
        use(watched), use(margin, has_margin), use(missing, is_missing), use(is_supporting),
        use(metric.coarse_below), use(require, has_require), use(ceiling, has_ceiling);
  }
}

}  // namespace

CampaignId Ledger::State::put_campaign(const Record& record) {
  const auto& info = record.info;
  const int abreast = info.abreast ? 1 : 0;
  const auto seed = std::to_string(info.seed), state = to_string(info.state), title = storable(info.title),
             plan = storable(info.plan), repeat = storable(info.repeat), folder = storable(info.folder);
  sql << "INSERT INTO campaign (uid, title, kind, label, plan, plan_digest, seed, state, started, margin, "
         "rounds_min, rounds_max, abreast, repeat, folder, again_of)"
         " VALUES (:u, :t, :k, :l, :p, :d, :s, :st, :at, :m, :lo, :hi, :ab, :r, :fo,"
         " (SELECT id FROM campaign WHERE uid = :of))",
      use(info.uid), use(title), use(info.kind), use(info.label), use(plan), use(info.plan_digest), use(seed),
      use(state), use(info.started), use(info.margin), use(info.rounds_min), use(info.rounds_max),
      use(abreast), use(repeat), use(folder), use(info.again_of);
  std::int64_t campaign = 0;
  sql << "SELECT id FROM campaign WHERE uid = :u", use(info.uid), soci::into(campaign);
  for (std::size_t i = 0; i < record.sittings.size(); ++i)
    put_sitting(sql, campaign, static_cast<std::int64_t>(i), record.sittings[i], info.started);
  put_candidates(sql, campaign, record);
  put_workloads_and_factors(sql, campaign, record);
  put_cells(sql, campaign, record);
  put_metrics(sql, campaign, record);
  return CampaignId{campaign};
}

CampaignId Ledger::begin(const Record& record) {
  return state_->transact([&] { return state_->put_campaign(record); });
}

CampaignId Ledger::add_whole(const Record& record) {
  return state_->transact([&] {
    const auto id = state_->put_campaign(record);
    for (const auto& round : record.rounds) state_->put_round(id, round);
    for (const auto& trial : record.trials) state_->put_trial(id, trial);
    return id;
  });
}

void Ledger::add_sitting(CampaignId campaign, const Sitting& sitting) {
  auto& sql = state_->sql;
  const auto now = milliseconds_now();
  state_->transact([&] {
    std::int64_t id = 0;
    sql << "SELECT count(*) FROM sitting WHERE campaign = :c", use(campaign.value), soci::into(id);
    put_sitting(sql, campaign.value, id, sitting, now);
    sql << "UPDATE campaign SET state = 'open' WHERE id = :c", use(campaign.value);
  });
}

void Ledger::set_doubt(CampaignId campaign, WorkloadId workload, const std::string& doubt) {
  auto& sql = state_->sql;
  const auto text = storable(doubt);
  state_->transact([&] {
    sql << "UPDATE workload SET doubt = :d WHERE campaign = :c AND id = :i", use(text), use(campaign.value),
        use(workload.value);
  });
}

void Ledger::set_standing(CampaignId campaign, CellId cell, Standing standing, const std::string& detail) {
  auto& sql = state_->sql;
  const auto word = to_string(standing), why = storable(detail);
  state_->transact([&] {
    sql << "UPDATE cell SET standing = :s, detail = :d WHERE campaign = :c AND id = :i", use(word), use(why),
        use(campaign.value), use(cell.value);
  });
}

void Ledger::set_state(CampaignId campaign, CampaignState state) {
  auto& sql = state_->sql;
  const auto word = to_string(state);
  const auto now = milliseconds_now();
  state_->transact([&] {
    sql << "UPDATE campaign SET state = :s WHERE id = :c", use(word), use(campaign.value);
    sql << "UPDATE sitting SET seen = :n, ended = :e WHERE campaign = :c AND ended IS NULL", use(now),
        use(now), use(campaign.value);
  });
}

void Ledger::set_label(CampaignId campaign, const std::string& label) {
  auto& sql = state_->sql;
  state_->transact(
      [&] { sql << "UPDATE campaign SET label = :l WHERE id = :c", use(label), use(campaign.value); });
}

void Ledger::add_look(CampaignId campaign, const Look& look) {
  auto& sql = state_->sql;
  state_->transact([&] {
    sql << "INSERT INTO look (campaign, baseline, candidate, metric, number, rounds, p, p_same, decision)"
           " VALUES (:c, :b, :x, :m, :n, :r, :p, :s, :d)",
        use(campaign.value), use(look.of.baseline.value), use(look.of.candidate.value),
        use(look.metric.value), use(look.number), use(look.rounds), use(look.p), use(look.p_same),
        use(look.decision);
  });
}

void Ledger::remove(CampaignId campaign) {
  auto& sql = state_->sql;
  state_->transact([&] {
    for (const auto* part : {"reading", "series"})
      sql << std::string("DELETE FROM ") + part +
                 " WHERE trial IN (SELECT id FROM trial WHERE campaign = :c)",
          use(campaign.value);
    for (const auto table : tables_of_a_campaign())
      sql << "DELETE FROM " + std::string(table) + " WHERE campaign = :c", use(campaign.value);
    sql << "DELETE FROM campaign WHERE id = :c", use(campaign.value);
  });
  try {
    sql << "VACUUM";
  } catch (const soci::soci_error& error) {
    state_->fail(error);
  }
}

}  // namespace assay::ledger
