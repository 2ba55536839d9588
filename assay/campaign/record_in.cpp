#include <algorithm>
#include <nlohmann/json.hpp>

#include "assay/campaign/identity.hpp"
#include "assay/campaign/samples_in.hpp"
#include "assay/model/error.hpp"

namespace assay::campaign {
namespace {

using Json = nlohmann::json;

template <class Enum>
Enum named(const std::string& name, int choices) {
  for (int i = 0; i < choices; ++i)
    if (to_string(static_cast<Enum>(i)) == name) return static_cast<Enum>(i);
  throw Error("\"" + name + "\" is not known", "an export");
}

template <class T>
std::optional<Id<T>> id_or_none(const Json& json) {
  return json.is_null() ? std::nullopt : std::optional(Id<T>{json.get<std::int64_t>()});
}

Level level_of(const Json& json) {
  if (json.is_boolean()) return json.get<bool>();
  if (json.is_number_integer()) return json.get<std::int64_t>();
  if (json.is_number()) return json.get<double>();
  return json.get<std::string>();
}

void read_metric(const Json& json, Record& record) {
  const auto prefer = json.at("prefer").get<std::string>();
  record.metrics.push_back({.name = json.at("name"),
                            .unit = json.at("unit"),
                            .prefer = prefer == "higher"    ? Prefer::higher
                                      : prefer == "neither" ? Prefer::neither
                                                            : Prefer::lower,
                            .scale = json.at("scale") == "ratio" ? Scale::ratio : Scale::difference,
                            .about = json.at("machine").get<bool>() ? About::machine : About::work,
                            .exact = json.at("exact"),
                            .supporting = json.at("supporting"),
                            .coarse_below = json.at("coarse_below")});
  Demand demand{.watched = json.at("watched"), .missing = json.at("missing")};
  if (json.contains("margin")) demand.margin = json.at("margin").get<double>();
  if (json.contains("ceiling")) demand.ceiling = json.at("ceiling").get<double>();
  if (json.contains("require")) demand.require = parse_requirement(json.at("require").get<std::string>());
  record.demands.push_back(std::move(demand));
}

Trial trial_of(const Json& json) {
  constexpr int roles = 6, outcomes = 9;
  Trial trial{.cell = {json.at("cell").get<std::int64_t>()},
              .sitting = {json.at("sitting").get<std::int64_t>()},
              .role = named<Role>(json.at("role"), roles),
              .position = json.at("position"),
              .heat = json.at("heat"),
              .outcome = named<Outcome>(json.at("outcome"), outcomes),
              .output_bytes = json.at("output_bytes"),
              .output_digest = json.at("output_digest"),
              .leftovers = json.at("leftovers")};
  if (!json.at("round").is_null()) trial.round = json.at("round").get<int>();
  for (const auto& reading : json.at("readings"))
    trial.readings.push_back({MetricId{reading.at(0).get<std::int64_t>()}, reading.at(1).get<double>()});
  return trial;
}

/// Every id must name something.
void check_places(const Record& record, const std::string& name) {
  const auto in = [&](auto id, const auto& things) {
    if (id.value < 0 || id.place() >= things.size())
      throw Error("an export with a place that is not there", name);
  };
  for (const auto& cell : record.cells) {
    in(cell.candidate, record.candidates);
    in(cell.workload, record.workloads);
  }
  for (const auto& candidate : record.candidates)
    for (const auto& id : {candidate.against, candidate.twin_of})
      if (id) in(*id, record.candidates);
  for (const auto& contrast : record.contrasts) {
    in(contrast.baseline, record.cells);
    in(contrast.candidate, record.cells);
  }
  for (const auto& trial : record.trials) {
    in(trial.cell, record.cells);
    in(trial.sitting, record.sittings);
    for (const auto& reading : trial.readings) in(reading.metric, record.metrics);
  }
}

}  // namespace

Record record_of_export(const std::string& text, const std::string& name) try {
  constexpr int states = 3, standings = 4;
  const auto json = Json::parse(text);
  Record record;
  record.info = {.uid = draw_uid(),
                 .title = json.at("title"),
                 .kind = json.at("kind"),
                 .seed = std::stoull(json.at("seed").get<std::string>()),
                 .state = named<CampaignState>(json.at("state"), states),
                 .started = json.at("started"),
                 .margin = json.at("margin"),
                 .rounds_min = json.at("rounds_min"),
                 .rounds_max = json.at("rounds_max"),
                 .abreast = json.at("abreast")};
  for (const auto& c : json.at("candidates")) {
    Candidate candidate{.name = c.at("name"),
                        .against = id_or_none<CandidateTag>(c.at("against")),
                        .twin_of = id_or_none<CandidateTag>(c.at("twin_of")),
                        .options = c.at("options")};
    candidate.from = {.exe = "program " + std::to_string(c.at("program").get<int>()),
                      .exe_digest = c.at("exe_digest"),
                      .identity = c.at("identity"),
                      .commit = c.at("commit"),
                      .compiler = c.at("compiler"),
                      .flags = c.at("flags")};
    record.candidates.push_back(std::move(candidate));
  }
  for (const auto& w : json.at("workloads"))
    record.workloads.push_back({w.at("name"), w.at("run"), w.at("doubt"), w.value("weight", 1.0)});
  for (const auto& f : json.at("factors")) {
    const auto role = f.at("role").get<std::string>();
    record.factors.push_back({.name = f.at("name"),
                              .levels = {},
                              .role = role == "size"      ? Factor::Role::size
                                      : role == "threads" ? Factor::Role::threads
                                                          : Factor::Role::option});
  }
  for (const auto& c : json.at("cells")) {
    Cell cell{.candidate = {c.at("candidate").get<std::int64_t>()},
              .workload = {c.at("workload").get<std::int64_t>()},
              .setting = {},
              .standing = named<Standing>(c.at("standing"), standings),
              .detail = c.at("detail")};
    for (const auto& [factor, level] : c.at("setting").items()) cell.setting.levels[factor] = level_of(level);
    record.cells.push_back(std::move(cell));
  }
  for (const auto& c : json.at("contrasts"))
    record.contrasts.push_back({CellId{c.at(0).get<std::int64_t>()}, CellId{c.at(1).get<std::int64_t>()}});
  for (const auto& m : json.at("metrics")) read_metric(m, record);
  for (const auto& s : json.at("sittings")) {
    Sitting sitting;
    for (const auto& [fact, value] : s.items()) sitting.facts.push_back({fact, value.get<std::string>()});
    record.sittings.push_back(std::move(sitting));
  }
  for (const auto& r : json.at("rounds"))
    record.rounds.push_back({.number = r.at("number"),
                             .sitting = {r.at("sitting").get<std::int64_t>()},
                             .state = r.at("state") == "whole" ? RoundState::whole : RoundState::torn,
                             .order = {}});
  for (const auto& t : json.at("trials")) record.trials.push_back(trial_of(t));
  check_places(record, name);
  return record;
} catch (const Json::exception& error) {
  throw Error("this export is damaged: " + std::string(error.what()), name, "export it again");
}

}  // namespace assay::campaign
