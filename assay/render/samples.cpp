#include "assay/render/samples.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <nlohmann/json.hpp>
#include <set>

#include "assay/judge/pairs.hpp"

namespace assay::render {
namespace {

using Json = nlohmann::ordered_json;

std::string field(const std::string& text) {
  if (text.find_first_of(",\"\r\n") == std::string::npos) return text;
  std::string quoted = "\"";
  for (const char c : text) quoted += c == '"' ? std::string("\"\"") : std::string(1, c);
  return quoted + "\"";
}

const char* prefer_text(Prefer prefer) {
  return prefer == Prefer::lower ? "lower" : prefer == Prefer::higher ? "higher" : "neither";
}

Json level_json(const Level& level) {
  return std::visit([](const auto& value) { return Json(value); }, level);
}

template <class T>
Json id_or_null(const std::optional<Id<T>>& id) {
  return id ? Json(id->value) : Json(nullptr);
}

/// `program`: the same number for the same path, which is not told.
Json candidate_json(const Candidate& c, std::size_t program) {
  return {{"name", c.name},
          {"program", program},
          {"against", id_or_null(c.against)},
          {"twin_of", id_or_null(c.twin_of)},
          {"options", c.options},
          {"exe_digest", c.from.exe_digest},
          {"identity", c.from.identity},
          {"commit", c.from.commit},
          {"compiler", c.from.compiler},
          {"flags", c.from.flags}};
}

Json metric_json(const Metric& m, const Demand& d) {
  Json json = {{"name", m.name},
               {"unit", m.unit},
               {"prefer", prefer_text(m.prefer)},
               {"scale", m.scale == Scale::ratio ? "ratio" : "difference"},
               {"machine", m.about == About::machine},
               {"exact", m.exact},
               {"supporting", m.supporting},
               {"coarse_below", m.coarse_below},
               {"watched", d.watched},
               {"missing", d.missing}};
  if (d.margin) json["margin"] = *d.margin;
  if (d.ceiling) json["ceiling"] = *d.ceiling;
  if (d.require) json["require"] = d.require->text;
  return json;
}

Json trial_json(const Trial& t) {
  Json readings = Json::array();
  for (const auto& reading : t.readings) readings.push_back({reading.metric.value, reading.value});
  return {{"cell", t.cell.value},
          {"round", t.round ? Json(*t.round) : Json(nullptr)},
          {"sitting", t.sitting.value},
          {"role", to_string(t.role)},
          {"position", t.position},
          {"heat", t.heat},
          {"outcome", to_string(t.outcome)},
          {"output_digest", t.output_digest},
          {"output_bytes", t.output_bytes},
          {"leftovers", t.leftovers},
          {"readings", std::move(readings)}};
}

}  // namespace

std::string to_csv(const Record& record) {
  std::set<std::string> names;
  for (const auto& cell : record.cells)
    for (const auto& [name, level] : cell.setting.levels) names.insert(name);
  std::string text = "candidate,workload";
  for (const auto& name : names) text += "," + field(name);
  text += ",metric,value,round,unit,prefer\n";
  const auto whole = judge::whole_rounds(record);
  for (const auto& trial : record.trials) {
    const auto& cell = record.cells[trial.cell.place()];
    const auto& candidate = record.candidates[cell.candidate.place()];
    if (trial.role != Role::counted || trial.outcome != Outcome::ok || cell.standing != Standing::sound ||
        candidate.twin_of || (trial.round && !whole.contains(*trial.round)))
      continue;
    std::string head = field(candidate.name) + "," + field(record.workloads[cell.workload.place()].name);
    for (const auto& name : names) {
      const auto level = cell.setting.levels.find(name);
      head += "," + (level == cell.setting.levels.end() ? std::string{} : field(to_string(level->second)));
    }
    for (const auto& reading : trial.readings) {
      const auto& metric = record.metrics[reading.metric.place()];
      if (metric.about == About::machine) continue;
      text += fmt::format("{},{},{},{},{},{}\n", head, field(metric.name), reading.value,
                          trial.round ? std::to_string(*trial.round) : "", field(metric.unit),
                          prefer_text(metric.prefer));
    }
  }
  return text;
}

std::string record_to_json(const Record& record) {
  const auto& info = record.info;
  Json document = {{"format", "assay record 1"},
                   {"title", info.title},
                   {"kind", info.kind},
                   {"seed", std::to_string(info.seed)},
                   {"started", info.started},
                   {"state", to_string(info.state)},
                   {"margin", info.margin},
                   {"rounds_min", info.rounds_min},
                   {"rounds_max", info.rounds_max},
                   {"abreast", info.abreast}};
  std::vector<std::string> programs;
  for (const auto& c : record.candidates) {
    const auto known = std::ranges::find(programs, c.from.exe);
    const auto place = static_cast<std::size_t>(known - programs.begin());
    if (known == programs.end()) programs.push_back(c.from.exe);
    document["candidates"].push_back(candidate_json(c, place));
  }
  for (const auto& w : record.workloads)
    document["workloads"].push_back(
        {{"name", w.name}, {"run", w.run}, {"doubt", w.doubt}, {"weight", w.weight}});
  document["factors"] = Json::array();
  for (const auto& f : record.factors)
    document["factors"].push_back({{"name", f.name},
                                   {"role", f.role == Factor::Role::size      ? "size"
                                            : f.role == Factor::Role::threads ? "threads"
                                                                              : "option"}});
  for (const auto& cell : record.cells) {
    Json setting = Json::object();
    for (const auto& [name, level] : cell.setting.levels) setting[name] = level_json(level);
    document["cells"].push_back({{"candidate", cell.candidate.value},
                                 {"workload", cell.workload.value},
                                 {"setting", setting},
                                 {"standing", to_string(cell.standing)},
                                 {"detail", cell.detail}});
  }
  document["contrasts"] = Json::array();
  for (const auto& contrast : record.contrasts)
    document["contrasts"].push_back({contrast.baseline.value, contrast.candidate.value});
  for (std::size_t m = 0; m < record.metrics.size(); ++m)
    document["metrics"].push_back(metric_json(record.metrics[m], record.demands[m]));
  document["sittings"] = Json::array();
  for (const auto& sitting : record.sittings) {
    Json facts = Json::object();
    for (const auto& fact : sitting.facts) facts[fact.name] = fact.value;
    document["sittings"].push_back(facts);
  }
  document["rounds"] = Json::array();
  for (const auto& round : record.rounds)
    document["rounds"].push_back({{"number", round.number},
                                  {"sitting", round.sitting.value},
                                  {"state", round.state == RoundState::whole ? "whole" : "torn"}});
  document["trials"] = Json::array();
  for (const auto& trial : record.trials) document["trials"].push_back(trial_json(trial));
  return document.dump(1, ' ', false, Json::error_handler_t::replace) + "\n";
}

}  // namespace assay::render
