#include "assay/history/measured_values.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <nlohmann/json.hpp>
#include <set>
#include <tuple>

#include "assay/history/trend.hpp"
#include "assay/judge/judge.hpp"
#include "assay/judge/machines.hpp"
#include "assay/judge/paired_series.hpp"
#include "assay/judge/paired_test.hpp"
#include "assay/ledger/ledger.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/model/enum_names.hpp"
#include "assay/model/error.hpp"
#include "assay/model/observations.hpp"

namespace assay::history {

namespace {

/// What is kept of a finding between commits.
CommitsCompared compared_of(const Findings& findings, const Finding& f) {
  return {.before = findings.candidate(findings.baseline_cell(f)).name,
          .after = findings.candidate(findings.candidate_cell(f)).name,
          .verdict = f.verdict,
          .effect = f.effect,
          .interval = f.interval,
          .rounds = f.rounds,
          .campaign = findings.design.uid,
          .layouts = layouts_of(findings.design, f.comparison)};
}

/// The finding by itself: a campaign's own intervals are wider, or without ends, where it has many.
Finding judged_alone(const Observations& evidence, const Finding& f, const Metric& metric) {
  auto series = judge::make_pairs(f.comparison, evidence.by_cell(f.metric));
  if (metric.exact) return f;
  auto alone = f;
  alone.rounds = series.rounds.size();
  if (series.baseline.empty() || !judge::all_valid(series, metric.scale)) return alone;
  judge::mark_machines(evidence, series);
  series = judge::on_one_level(series, series.rounds.size(), metric);
  series.replication.layouts = layouts_of(evidence.design, f.comparison);
  if (series.replication.layouts > 0)
    std::tie(series.baseline, series.candidate) =
        judge::layout_means(series, series.rounds.size(), metric.scale);
  const auto judged =
      judge::judge_paired(series.baseline, series.candidate, {.metric = metric, .rest = false});
  alone.effect = judged.effect;
  alone.interval = judged.interval;
  return alone;
}

/// The rounds of a campaign that machines of one kind ran.
struct RoundsOfKind {
  std::string machine;  ///< the kind
  Observations evidence;
};

/// By kind of machine, in the order of their sessions. Where there are several, a kind without judged rounds has none of a
/// history. Where nothing was measured, the last session's kind alone.
std::vector<RoundsOfKind> rounds_by_kind(const Record& record) {
  const auto kind_of = [&](SessionId id) { return record.log.sessions[id].fact("fingerprint"); };
  std::vector<std::string> kinds;
  for (const auto& round : record.log.rounds)
    if (round.state == RoundState::complete && round.role == Role::measured &&
        std::ranges::count(kinds, kind_of(round.session)) == 0)
      kinds.push_back(kind_of(round.session));
  if (kinds.size() < 2)
    kinds = {record.log.sessions.empty() ? "" : record.log.sessions.back().fact("fingerprint")};
  if (kinds.size() == 1) return {{kinds.front(), Observations(record.design, record.log)}};
  std::vector<RoundsOfKind> all;
  for (const auto& kind : kinds) {
    auto log = record.log;
    std::erase_if(log.rounds, [&](const Round& round) { return kind_of(round.session) != kind; });
    std::erase_if(log.trials, [&](const Trial& trial) { return kind_of(trial.session) != kind; });
    all.push_back({kind, Observations(record.design, log)});
  }
  return all;
}

void add_unmeasurable(MeasuredValues& archive, const Findings& findings, const std::string& reference) {
  const auto& design = findings.design;
  std::set<CandidateId> sound;
  for (const auto cell : design.cells.ids())
    if (findings.statuses[cell].is_ok()) sound.insert(design.cells[cell].candidate);
  for (const auto cell : design.cells.ids()) {
    const auto id = design.cells[cell].candidate;
    const auto& commit = design.candidates[id].from.commit;
    if (!sound.contains(id) && !commit.empty() && commit != reference)
      archive.silent.emplace(commit, findings.statuses[cell].detail);
  }
}

/// Whether a campaign shows what can be had of its cells: one that was cut off before it could decide anything does not.
bool was_tried(const Findings& findings) {
  const auto fewest = findings.state == CampaignState::ended ? 1 : static_cast<std::size_t>(fewest_rounds);
  return findings.rounds >= fewest;
}

}  // namespace

void add_record(MeasuredValues& archive, const Record& record, const std::string& reference) {
  const auto findings = judge::judge_record(record);
  const auto& design = findings.design;
  const bool is_step = design.kind == CampaignKind::step;
  const auto kinds = rounds_by_kind(record);
  const auto environment_of = [&](const RoundsOfKind& kind, const Candidate& reference_there) {
    return kind.machine + "/" + reference_there.from.exe_digest;
  };
  for (const auto& comparison : design.comparisons) {
    const auto &before = design.candidate_of(comparison.baseline),
               &after = design.candidate_of(comparison.candidate);
    if (is_step || after.twin_of || after.from.commit.empty() || before.from.commit != reference) continue;
    if (findings.statuses[comparison.candidate].is_ok() && !was_tried(findings)) continue;
    const auto& workload = design.workload_of(comparison.candidate);
    for (const auto& kind : kinds)
      archive.tried.insert({after.from.commit, workload.name, workload.digest,
                            design.cells[comparison.candidate].setting.text(), environment_of(kind, before)});
  }
  for (const auto& metric : design.metrics)
    if (metric.request.watched) archive.metrics.emplace(metric.name, metric);
  for (const auto& f : findings.findings) {
    const auto& metric = findings.metric_of(f);
    const auto& before = findings.candidate(findings.baseline_cell(f));
    const auto& after = findings.candidate(findings.candidate_cell(f));
    if (!metric.request.watched || after.twin_of || after.from.commit.empty() || f.rounds == 0) continue;
    const auto& cell = findings.candidate_cell(f);
    const SeriesKey where{findings.workload(cell).name, cell.setting.text(), metric.name};
    if (is_step) {
      archive.pairs[{before.from.commit, after.from.commit, where.workload, where.setting, where.metric}] = {
          compared_of(findings, f), f.p, design.started};
    } else if (before.from.commit == reference) {
      for (const auto& kind : kinds) {
        const auto alone = judged_alone(kind.evidence, f, metric);
        const bool few = !metric.exact && alone.rounds < static_cast<std::size_t>(fewest_rounds);
        if (kinds.size() > 1 && few) continue;
        archive.values.push_back({.commit = after.from.commit,
                                  .where = where,
                                  .definition = findings.workload(cell).digest,
                                  .environment = environment_of(kind, before),
                                  .machine = kind.machine,
                                  .campaign = design.uid,
                                  .effect = alone.effect,
                                  .interval = alone.interval,
                                  .rounds = alone.rounds,
                                  .started = design.started});
        archive.silent.erase(after.from.commit);
      }
    }
  }
  if (!is_step &&
      std::ranges::any_of(design.candidates, [&](const Candidate& c) { return c.from.commit == reference; }))
    add_unmeasurable(archive, findings, reference);
}

namespace {

/// Adds what a campaign tells, and returns it as serialize() writes it.
std::string add_as_text(MeasuredValues& archive, const Record& record, const std::string& reference) {
  MeasuredValues own;
  add_record(own, record, reference);
  auto text = serialize(own, reference);
  deserialize(archive, text, reference);
  return text;
}

/// Keeps what was judged, so that the next reader need not: a database's reader without that right, and a disk that is full,
/// go without.
void keep(ledger::Ledger& ledger, const std::vector<ledger::Ledger::HistoryValues>& judged,
          const std::string& reference) try {
  if (!judged.empty()) ledger.keep_history_values(judged, reference, judge::version);
} catch (const Error& error) {
  const auto is = [&](Error::Code code) { return error.code() == code; };
  if (!is(Error::Code::ledger_read_only) && !is(Error::Code::ledger_full) && !is(Error::Code::ledger_busy))
    throw;
}

}  // namespace

void add_and_keep(MeasuredValues& archive, const Record& record, const std::string& reference,
                  const std::string& path) {
  const auto text = add_as_text(archive, record, reference);
  if (path.empty() || record.log.state != CampaignState::ended) return;
  ledger::Ledger ledger(path, ledger::Ledger::OpenMode::existing);
  for (const auto& summary : ledger.list({.uid = record.design.uid}))
    keep(ledger, {{summary.id, text}}, record.design.kind == CampaignKind::step ? "" : reference);
}

MeasuredValues read_measured_values(const std::string& path, const std::string& reference) {
  MeasuredValues archive;
  if (path.empty() || !ledger::Place::of(path).is_there()) return archive;
  ledger::Ledger ledger(path, ledger::Ledger::OpenMode::existing);
  const auto kept = ledger.history_values(reference, judge::version);
  std::vector<ledger::Ledger::HistoryValues> of_commits, of_steps;
  auto all = ledger.list({.commit = reference});
  std::erase_if(all, [](const auto& summary) { return summary.kind == CampaignKind::step; });
  std::ranges::move(ledger.list({.kinds = {CampaignKind::step}}), std::back_inserter(all));
  // What was measured later counts where there can be but one.
  std::ranges::sort(all, {}, &ledger::CampaignSummary::id);
  for (const auto& summary : all) {
    const bool has_pairs = summary.rounds > 0 && summary.kind != CampaignKind::search &&
                           summary.kind != CampaignKind::pairs && summary.kind != CampaignKind::contest;
    const bool silent = summary.kind == CampaignKind::history;
    const bool is_step = summary.kind == CampaignKind::step;
    if (!has_pairs && !silent) continue;
    if (const auto text = kept.find(summary.id); text != kept.end()) {
      deserialize(archive, text->second, reference);
      continue;
    }
    const auto judged = add_as_text(archive, ledger.read(summary.id), reference);
    if (summary.state == CampaignState::ended)
      (is_step ? of_steps : of_commits).push_back({summary.id, judged});
  }
  keep(ledger, of_commits, reference);
  keep(ledger, of_steps, "");
  return archive;
}

double regression_sign(const Metric& metric) { return metric.direction == Direction::higher ? -1 : 1; }

std::vector<double> regression_effects(const Record& record, CandidateId later, const SeriesKey& where) {
  const auto& design = record.design;
  const auto metric = design.metrics.find([&](const Metric& m) { return m.name == where.metric; });
  if (!metric) return {};
  const Observations evidence(design, record.log);
  const auto& values = evidence.by_cell(*metric);
  const auto scale = design.metrics[*metric].scale;
  std::vector<double> effects;
  for (const auto& comparison : design.comparisons) {
    const auto& cell = design.cells[comparison.candidate];
    if (cell.candidate != later || design.workloads[cell.workload].name != where.workload ||
        cell.setting.text() != where.setting)
      continue;
    const auto series = judge::make_pairs(comparison, values);
    for (std::size_t i = 0; i < series.rounds.size(); ++i)
      if (is_valid_value(scale, series.baseline[i]) && is_valid_value(scale, series.candidate[i]))
        effects.push_back(regression_sign(design.metrics[*metric]) *
                          transformed_effect(scale, series.baseline[i], series.candidate[i]));
  }
  return effects;
}

double seconds_of_pair(const Record& record) {
  const auto time = metrics::find(record.design.metrics, metrics::MetricKind::wall_time);
  double seconds = 0;
  std::size_t trials = 0;
  for (const auto& trial : record.log.trials)
    for (const auto& reading : trial.readings)
      if (trial.round && reading.metric == time) {
        seconds += reading.value;
        ++trials;
      }
  constexpr double unknown = 0.1;
  return trials == 0 ? unknown : 2 * seconds / static_cast<double>(trials);
}

namespace {

using Json = nlohmann::ordered_json;

Json json_of(double x) {
  return std::isfinite(x) ? Json(x) : Json(std::isnan(x) ? "nan" : x > 0 ? "inf" : "-inf");
}
double number_from(const Json& x) {
  using Limits = std::numeric_limits<double>;
  if (x.is_number()) return x.get<double>();
  return x == "nan" ? Limits::quiet_NaN() : x == "inf" ? Limits::infinity() : -Limits::infinity();
}

Json json_of(const SeriesKey& where) { return {where.workload, where.setting, where.metric}; }
SeriesKey where_from(const Json& json) { return {json.at(0), json.at(1), json.at(2)}; }

Json json_of(const Effect& effect, const Interval& interval) {
  return {to_string(effect.scale), json_of(effect.value), json_of(interval.low), json_of(interval.high),
          interval.level};
}
void effect_from(const Json& json, Effect& effect, Interval& interval) {
  effect = {parse_enum<Scale>(json.at(0).get<std::string>()).value_or(Scale::ratio), number_from(json.at(1))};
  interval = {number_from(json.at(2)), number_from(json.at(3)), json.at(4)};
}

Json json_of(const Metric& metric) {
  return {{"name", metric.name},
          {"unit", metric.unit},
          {"prefer", to_string(metric.direction)},
          {"scale", to_string(metric.scale)},
          {"exact", metric.exact},
          {"supporting", metric.supporting},
          {"margin", metric.request.margin ? Json(*metric.request.margin) : Json(nullptr)}};
}
Metric metric_from(const Json& json) {
  Metric metric{
      .name = json.at("name"),
      .unit = json.at("unit"),
      .direction = parse_enum<Direction>(json.at("prefer").get<std::string>()).value_or(Direction::lower),
      .scale = parse_enum<Scale>(json.at("scale").get<std::string>()).value_or(Scale::ratio),
      .exact = json.at("exact"),
      .supporting = json.at("supporting")};
  metric.request.watched = true;
  if (!json.at("margin").is_null()) metric.request.margin = json.at("margin").get<double>();
  return metric;
}

}  // namespace

std::string serialize(const MeasuredValues& archive, const std::string& reference) {
  Json values = Json::array(), pairs = Json::array(), tried = Json::array(), silent = Json::object(),
       all_metrics = Json::array();
  for (const auto& v : archive.values)
    values.push_back({{"commit", v.commit},
                      {"where", json_of(v.where)},
                      {"definition", v.definition},
                      {"era", v.environment},
                      {"machine", v.machine},
                      {"campaign", v.campaign},
                      {"effect", json_of(v.effect, v.interval)},
                      {"rounds", v.rounds},
                      {"started", v.started}});
  for (const auto& [key, pair] : archive.pairs) {
    const auto& [before, after, workload, setting, metric] = key;
    pairs.push_back({{"commits", {before, after}},
                     {"where", {workload, setting, metric}},
                     {"names", {pair.compared.before, pair.compared.after}},
                     {"verdict", to_string(pair.compared.verdict)},
                     {"effect", json_of(pair.compared.effect, pair.compared.interval)},
                     {"rounds", pair.compared.rounds},
                     {"campaign", pair.compared.campaign},
                     {"layouts", pair.compared.layouts},
                     {"p", json_of(pair.p)},
                     {"started", pair.started}});
  }
  for (const auto& t : archive.tried)
    tried.push_back({t.commit, t.workload, t.definition, t.setting, t.environment});
  for (const auto& [commit, why] : archive.silent) silent[commit] = why;
  for (const auto& [name, metric] : archive.metrics) all_metrics.push_back(json_of(metric));
  return Json{{"reference", reference}, {"values", values}, {"pairs", pairs},
              {"tried", tried},         {"silent", silent}, {"metrics", all_metrics}}
      .dump(-1, ' ', false, Json::error_handler_t::replace);
}

void deserialize(MeasuredValues& archive, const std::string& text, const std::string& reference) try {
  const auto kept = Json::parse(text);
  for (const auto& metric : kept.at("metrics"))
    archive.metrics.emplace(metric.at("name"), metric_from(metric));
  for (const auto& pair : kept.at("pairs")) {
    const auto where = where_from(pair.at("where"));
    MeasuredPair measured{.compared = {.before = pair.at("names").at(0),
                                       .after = pair.at("names").at(1),
                                       .verdict = parse_enum<Verdict>(pair.at("verdict").get<std::string>())
                                                      .value_or(Verdict::unclear),
                                       .rounds = pair.at("rounds"),
                                       .campaign = pair.at("campaign"),
                                       .layouts = pair.value("layouts", 0)},
                          .p = number_from(pair.at("p")),
                          .started = pair.value("started", std::int64_t{0})};
    effect_from(pair.at("effect"), measured.compared.effect, measured.compared.interval);
    archive.pairs[{pair.at("commits").at(0), pair.at("commits").at(1), where.workload, where.setting,
                   where.metric}] = measured;
  }
  if (kept.at("reference") != reference) return;
  for (const auto& v : kept.at("values")) {
    MeasuredValue value{.commit = v.at("commit"),
                        .where = where_from(v.at("where")),
                        .definition = v.at("definition"),
                        .environment = v.at("era"),
                        .machine = v.at("machine"),
                        .campaign = v.at("campaign"),
                        .rounds = v.at("rounds"),
                        .started = v.at("started")};
    effect_from(v.at("effect"), value.effect, value.interval);
    archive.silent.erase(value.commit);
    archive.values.push_back(std::move(value));
  }
  for (const auto& t : kept.at("tried")) archive.tried.insert({t.at(0), t.at(1), t.at(2), t.at(3), t.at(4)});
  for (const auto& [commit, why] : kept.at("silent").items()) archive.silent.emplace(commit, why);
} catch (const Json::exception& error) {
  throw Error(std::string("what was kept of a history's campaign can't be read: ") + error.what(), {}, {},
              Error::Code::ledger_damaged);
}

std::size_t reduce_history(const std::string& path, std::size_t keep) {
  ledger::Ledger ledger(path, ledger::Ledger::OpenMode::existing);
  std::size_t seen = 0, reduced = 0;
  for (const auto& summary : ledger.list({.kinds = {CampaignKind::history, CampaignKind::step}})) {
    if (summary.state != CampaignState::ended || ++seen <= keep || !summary.label.empty() ||
        !ledger.compacted_values(summary.id).empty())
      continue;
    const auto record = ledger.read(summary.id);
    if (record.design.candidates.empty()) continue;
    const auto reference = record.design.candidates.front().from.commit;
    MeasuredValues archive;
    add_record(archive, record, reference);
    ledger.compact(summary.id, serialize(archive, reference));
    ++reduced;
  }
  return reduced;
}

}  // namespace assay::history
