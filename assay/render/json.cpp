#include "assay/codec/json.hpp"

#include "assay/judge/where.hpp"
#include "assay/model/enum_names.hpp"
#include "assay/model/redact.hpp"
#include "assay/render/documents.hpp"
#include "assay/render/finding_json.hpp"
#include "assay/report/note_text.hpp"
#include "assay/report/sentence.hpp"

namespace assay::render {

using namespace report;  // its words
namespace {

using Json = nlohmann::ordered_json;
using codec::setting_json;

std::string reason_not_reported(const Overall& o) {
  switch (o.obstacle) {
    case Overall::Obstacle::too_few_rounds:
      return "only " + std::to_string(o.rounds) + " rounds have a pair of all its comparisons";
    case Overall::Obstacle::changes_with_size:
      return "its ratio to the baseline changes with " + o.factor;
    case Overall::Obstacle::none:
      break;
  }
  return {};
}

Json parts_json(const Findings& all, const Overall& overall) {
  Json parts = Json::array();
  for (const auto& part : overall.parts) {
    const auto& cell = all.design.cells[part.comparison.candidate];
    parts.push_back({{"workload", all.workload(cell).name},
                     {"setting", setting_json(cell.setting)},
                     {"ratio", finite(part.raw.value)},
                     {"shrunk", finite(part.shrunk.value)},
                     {"differs", part.differs}});
  }
  return parts;
}

Json interval_json(const Interval& interval) { return {finite(interval.low), finite(interval.high)}; }

Json requirement_json(const Findings& all, const RequirementFinding& r) {
  const auto& cell = all.design.cells[r.cell];
  return {{"workload", all.workload(cell).name},
          {"setting", setting_json(cell.setting)},
          {"candidate", all.candidate(cell).name},
          {"metric", all.design.metrics[r.metric].name},
          {"require", all.design.metrics[r.metric].request.require->text},
          {"status", to_string(r.status)},
          {"machine", r.machine == 0 ? Json(nullptr) : Json(r.machine)},
          {"rounds", r.rounds},
          {"typical", r.typical},
          {"interval", interval_json(r.interval)},
          {"spare", r.headroom}};
}

Json latencies_json(const Findings& all) {
  Json latencies = Json::array();
  for (const auto& latency : all.latencies) {
    const auto& cell = all.design.cells[latency.comparison.candidate];
    latencies.push_back({{"workload", all.workload(cell).name},
                         {"setting", setting_json(cell.setting)},
                         {"baseline", all.candidate(all.design.cells[latency.comparison.baseline]).name},
                         {"candidate", all.candidate(cell).name},
                         {"quantile", latency.quantile},
                         {"baseline_value", latency.baseline},
                         {"candidate_value", latency.candidate},
                         {"ratio", finite(latency.effect.value)},
                         {"interval", interval_json(latency.interval)}});
  }
  return latencies;
}

Json trend_json(const Findings& all, const ScalingCurve& t) {
  return {{"workload", all.design.workloads[t.workload].name},
          {"candidate", all.design.candidates[t.candidate].name},
          {"metric", all.design.metrics[t.metric].name},
          {"factor", t.factor},
          {"others", setting_json(t.others)},
          {"at", t.at},
          {"typical", t.typical},
          {"exponent", perhaps(t.exponent)},
          {"exponent_interval", t.exponent ? interval_json(t.exponent_interval) : Json(nullptr)},
          {"law", t.law.empty() ? Json(nullptr) : Json(t.law)},
          {"crossing", perhaps(t.crossing)},
          {"crossing_interval", t.crossing ? interval_json(t.crossing_interval) : Json(nullptr)},
          {"throughput", t.throughput},
          {"contention", perhaps(t.contention)},
          {"coherency", perhaps(t.coherency)},
          {"knee", perhaps(t.knee)},
          {"plateau", perhaps(t.plateau)}};
}

void add_aggregates(const Findings& all, Json& document) {
  const auto name = [&](CandidateId id) { return all.design.candidates[id].name; };
  const auto metric_name = [&](MetricId id) { return all.design.metrics[id].name; };
  const auto workload_name = [&](WorkloadId id) { return all.design.workloads[id].name; };
  const auto with_cell = [&](const Comparison& of, const Json& rest) {
    const auto& cell = all.design.cells[of.candidate];
    Json entry = {{"candidate", name(cell.candidate)},
                  {"baseline", name(all.design.cells[of.baseline].candidate)},
                  {"workload", workload_name(cell.workload)},
                  {"setting", setting_json(cell.setting)}};
    entry.update(rest);
    return entry;
  };
  for (const char* key : {"overall", "rankings", "reversals", "failures", "spreads", "confirmations"})
    document[key] = Json::array();
  for (const auto& o : all.overall)
    document["overall"].push_back(
        {{"candidate", name(o.candidate)},
         {"metric", metric_name(o.metric)},
         {"comparisons", o.cells},
         {"agree", o.agree},
         {"rounds", o.finding.rounds},
         {"ratio", o.obstacle == Overall::Obstacle::none ? finite(o.finding.effect.value) : Json(nullptr)},
         {"interval", interval_json(o.finding.interval)},
         {"p", o.finding.p},
         {"verdict", to_string(o.finding.verdict)},
         {"between", o.between},
         {"p_alike", o.p_homogeneous},
         {"parts", parts_json(all, o)},
         {"why", reason_not_reported(o)}});
  for (const auto& r : all.rankings) {
    Json order = Json::array(), unplaced = Json::array();
    for (const auto& place : r.places)
      order.push_back({{"candidate", name(place.candidate)},
                       {"step", order.empty() ? Json(nullptr) : Json(to_string(place.step))}});
    for (const auto id : r.unplaced) unplaced.push_back(name(id));
    document["rankings"].push_back({{"workload", workload_name(r.workload)},
                                    {"setting", setting_json(r.setting)},
                                    {"metric", metric_name(r.metric)},
                                    {"order", std::move(order)},
                                    {"unplaced", std::move(unplaced)}});
  }
  for (const auto& t : all.reversals)
    document["reversals"].push_back({{"candidate", name(t.candidate)},
                                     {"workload", workload_name(t.workload)},
                                     {"metric", metric_name(t.metric)},
                                     {"factor", t.factor},
                                     {"others", setting_json(t.others)},
                                     {"last", to_string(t.last_level)},
                                     {"before", to_string(t.verdict_before)},
                                     {"first", to_string(t.first_level)},
                                     {"after", to_string(t.verdict_after)}});
  for (const auto& f : all.failures)
    document["failures"].push_back(with_cell(f.comparison, {{"baseline_failed", f.baseline_failed},
                                                            {"baseline_trials", f.baseline_trials},
                                                            {"candidate_failed", f.candidate_failed},
                                                            {"candidate_trials", f.candidate_trials},
                                                            {"p", f.p},
                                                            {"p_adjusted", f.p_adjusted},
                                                            {"verdict", to_string(f.verdict)}}));
  for (const auto& f : all.spreads)
    document["spreads"].push_back(with_cell(f.comparison, {{"metric", metric_name(f.metric)},
                                                           {"rounds", f.rounds},
                                                           {"ratio", f.ratio},
                                                           {"p", f.p},
                                                           {"p_adjusted", f.p_adjusted},
                                                           {"verdict", to_string(f.verdict)}}));
  for (const auto& c : all.confirmations)
    document["confirmations"].push_back({{"candidate", c.candidate},
                                         {"baseline", c.baseline},
                                         {"where", c.cell},
                                         {"metric", c.metric},
                                         {"before", to_string(c.before)},
                                         {"now", to_string(c.now)},
                                         {"status", to_string(c.status)}});
}

/// The text about each candidate.
Json answers_json(const Findings& all) {
  Json answers = Json::array();
  for (const auto& sentence : sentences(all))
    answers.push_back({{"candidate", sentence.candidate},
                       {"verdict", to_string(sentence.verdict)},
                       {"lines", sentence.lines}});
  return answers;
}

Json profile_json(const Findings& all) {
  Json profile = Json::array();
  for (const auto& line : all.profile) {
    const auto& cell = all.design.cells[line.comparison.candidate];
    const auto& metric = all.design.metrics[line.metric];
    profile.push_back({{"workload", all.workload(cell).name},
                       {"setting", setting_json(cell.setting)},
                       {"metric", metric.name},
                       {"unit", metric.unit},
                       {"baseline", all.design.candidate_of(line.comparison.baseline).name},
                       {"candidate", all.candidate(cell).name},
                       {"baseline_typical", line.baseline},
                       {"candidate_typical", line.candidate},
                       {"ratio", line.effect.is_ratio() ? finite(line.effect.value) : Json(nullptr)},
                       {"difference", line.effect.is_ratio() ? Json(nullptr) : finite(line.effect.value)},
                       {"significant", line.is_significant}});
  }
  return profile;
}

Json time_part_json(const TimePart& part) {
  return {{"baseline", part.baseline},
          {"candidate", part.candidate},
          {"change", part.change},
          {"interval", interval_json({.low = part.low, .high = part.high})},
          {"p", part.p},
          {"named", part.named}};
}

Json where_json(const Findings& all, const Where& where) {
  const auto& cell = all.design.cells[where.comparison.candidate];
  const auto* finding = judge::time_finding(all, where.comparison);
  Json document = {{"workload", all.workload(cell).name},
                   {"setting", setting_json(cell.setting)},
                   {"baseline", all.design.candidate_of(where.comparison.baseline).name},
                   {"candidate", all.candidate(cell).name},
                   {"campaign", where.campaign.empty() ? all.design.uid : where.campaign},
                   {"rounds", where.rounds},
                   {"way", to_string(where.way)},
                   {"period", where.period},
                   {"per_request", where.per_request},
                   {"per_call", where.per_call},
                   {"sampled_share", where.sampled_share},
                   {"contradicts_verdict", finding != nullptr && judge::contradicts(where, *finding)},
                   {"functions", Json::array()},
                   {"smaller", time_part_json(where.small)},
                   {"not_sampled", time_part_json(where.unsampled)},
                   {"whole", time_part_json(where.whole)},
                   {"alone", {{"names", where.alone_names}, {"time", time_part_json(where.alone)}}},
                   {"other_code", where.other_code}};
  for (const auto& function : where.functions) {
    auto part = time_part_json(function);
    part["name"] = function.name;
    part["file"] = function.file;
    part["code"] = to_string(function.code);
    part["within_line"] = function.within_line
                              ? Json{function.within_line->first, function.within_line->second}
                              : Json(nullptr);
    part["libraries"] = Json::array();
    for (const auto& library : function.libraries)
      part["libraries"].push_back(
          {{"name", library.name}, {"baseline", library.baseline}, {"candidate", library.candidate}});
    document["functions"].push_back(std::move(part));
  }
  return document;
}

}  // namespace

std::string to_json(const Findings& findings) {
  const auto all = redacted(findings);
  Json document = {{"format", 3},
                   {"campaign",
                    {{"id", all.design.uid},
                     {"title", all.design.title},
                     {"kind", to_string(all.design.kind)},
                     {"state", to_string(all.state)},
                     {"provisional", all.provisional},
                     {"rounds", all.rounds},
                     {"seed", std::to_string(all.design.rules.seed)},
                     {"margin", all.design.rules.margin}}}};
  document["campaign"]["way"] = to_string(all.design.rules.way);
  document["campaign"]["ways"] = Json::array();
  for (const auto& choice : all.ways)
    document["campaign"]["ways"].push_back({{"workload", all.design.workloads[choice.workload].name},
                                            {"way", to_string(choice.way)},
                                            {"reason", to_string(choice.reason)},
                                            {"spread_in_turns", choice.spread_in_turns},
                                            {"spread", choice.spread}});
  document["campaign"]["programs"] = Json::array();
  for (const auto& [id, traits] : all.programs)
    if (!all.design.is_twin(id))
      document["campaign"]["programs"].push_back({{"candidate", all.design.candidate_of(id).name},
                                                  {"workload", all.design.workload_of(id).name},
                                                  {"setting", setting_json(all.design.cells[id].setting)},
                                                  {"kind", to_string(traits.kind())},
                                                  {"busy_share", traits.busy},
                                                  {"cores_used", traits.cores}});
  document["answers"] = answers_json(all);
  document["findings"] = Json::array();
  for (const auto& finding : all.findings) document["findings"].push_back(finding_json(all, finding));
  document["profile"] = profile_json(all);
  document["latencies"] = latencies_json(all);
  document["statuses"] = Json::array();
  for (const auto id : all.design.cells.ids())
    if (const auto& state = all.statuses[id]; !state.is_ok())
      document["statuses"].push_back({{"candidate", all.design.candidate_of(id).name},
                                      {"workload", all.design.workload_of(id).name},
                                      {"setting", setting_json(all.design.cells[id].setting)},
                                      {"status", to_string(state.code)},
                                      {"detail", state.detail}});
  document["requirements"] = Json::array();
  for (const auto& r : all.requirements) document["requirements"].push_back(requirement_json(all, r));
  document["scaling"] = Json::array();
  for (const auto& t : all.scaling) document["scaling"].push_back(trend_json(all, t));
  add_aggregates(all, document);
  document["where"] = Json::array();
  for (const auto& where : all.where) document["where"].push_back(where_json(all, where));
  document["where_remarks"] = all.where_remarks;
  document["candidates"] = Json::array();
  for (const auto& c : all.design.candidates)
    document["candidates"].push_back({{"name", c.name},
                                      {"twin", c.twin_of.has_value()},
                                      {"identity", c.from.identity},
                                      {"commit", c.from.commit},
                                      {"compiler", c.from.compiler},
                                      {"flags", c.from.flags}});
  document["missing"] = Json::array();
  for (const auto& metric : all.design.metrics)
    if (!metric.request.missing.empty())
      document["missing"].push_back({{"metric", metric.name}, {"why", metric.request.missing}});
  document["notes"] = Json::array();
  for (const auto& note : all.notes) document["notes"].push_back(note_json(all.design, note));
  return codec::text_of(document, 2) + "\n";
}

}  // namespace assay::render
