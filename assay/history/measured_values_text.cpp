// The text in which a ledger keeps what a campaign tells of a history.

#include <cmath>
#include <limits>
#include <nlohmann/json.hpp>
#include <string>
#include <utility>

#include "assay/history/measured_values.hpp"
#include "assay/model/enum_names.hpp"
#include "assay/model/error.hpp"

namespace assay::history {

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

}  // namespace assay::history
