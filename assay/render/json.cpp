#include "assay/render/json.hpp"

#include <cmath>

#include "assay/codec/json.hpp"
#include "assay/model/names.hpp"
#include "assay/model/passing_on.hpp"
#include "assay/report/notes.hpp"
#include "assay/report/price.hpp"
#include "assay/report/sentences.hpp"

namespace assay::inline v1::render {

using namespace report;  // its words
namespace {

using Json = nlohmann::ordered_json;

Json finite(double value) { return std::isfinite(value) ? Json(value) : Json(nullptr); }
Json perhaps(const std::optional<double>& value) { return value ? Json(*value) : Json(nullptr); }

using codec::setting_json;

Json note_json(const Design& design, const Note& note) {
  const auto [about, text] = worded(design, note);
  return {{"about", about}, {"kind", to_string(note.kind)},   {"level", to_string(note.level)},
          {"text", text},   {"figure", perhaps(note.figure)}, {"threshold", perhaps(note.threshold)}};
}

Json settle_json(const Findings& all, const Finding& finding) {
  const auto& price = finding.to_settle;
  if (!price) return nullptr;
  const bool possible = price->obstacle == Price::Obstacle::none;
  return {{"rounds", price->rounds > 0 ? Json(price->rounds) : Json(nullptr)},
          {"seconds", price->seconds > 0 ? Json(price->seconds) : Json(nullptr)},
          {"abreast", price->suits_abreast},
          {"why", possible ? std::string{} : settle_text(all, finding)}};
}

/// Both ends of an effect's interval; an open one is null.
Json ends_json(const Effect& effect, const Interval& interval) {
  return {effect.is_ratio() && interval.low == 0 ? Json(nullptr) : finite(interval.low),
          finite(interval.high)};
}

/// What all runs show, where the finding is that of the fast ones.
Json typical_json(const Finding& finding) {
  if (!finding.typical) return nullptr;
  const auto& [effect, interval] = *finding.typical;
  return {{effect.is_ratio() ? "ratio" : "difference", finite(effect.value)},
          {"interval", ends_json(effect, interval)}};
}

/// How values spread within the trials of both sides; null where a trial has one value.
Json within_json(const Findings& all, const Finding& finding) {
  const auto of = [&](CellId cell) -> Json {
    for (const auto& within : all.within_trials)
      if (within.cell == cell && within.metric == finding.metric) return {within.low, within.high};
    return nullptr;
  };
  const auto its = of(finding.of.baseline), mine = of(finding.of.candidate);
  if (its.is_null() && mine.is_null()) return nullptr;
  return {{"baseline", its}, {"candidate", mine}};
}

Json slow_json(const Finding& finding) {
  if (!finding.slow) return nullptr;
  const auto& slow = *finding.slow;
  return {{"limit", slow.limit},         {"baseline", slow.baseline},
          {"candidate", slow.candidate}, {"times", slow.times > 0 ? Json(slow.times) : Json(nullptr)},
          {"p_more", slow.p_more},       {"p_fewer", slow.p_fewer},
          {"left_open", slow.left_open}, {"shown", slow.shown}};
}

Json mean_json(const Finding& finding) {
  if (!finding.mean) return nullptr;
  return {{"ratio", finite(finding.mean->effect.value)},
          {"interval", ends_json(finding.mean->effect, finding.mean->interval)},
          {"level", finding.mean->interval.level},
          {"shown", finding.mean->shown}};
}

Json deciles_json(const Finding& finding) {
  Json all = Json::array();
  for (const auto& decile : finding.deciles)
    all.push_back({{"at", decile.at}, {"baseline", decile.baseline}, {"candidate", decile.candidate}});
  return all;
}

Json finding_json(const Findings& all, const Finding& finding) {
  const auto& cell = all.candidate_of(finding);
  const auto& metric = all.metric_of(finding);
  const bool ratio = finding.effect.is_ratio();
  Json notes = Json::array();
  for (const auto& note : finding.notes) notes.push_back(note_json(all.design, note));
  return {
      {"workload", all.workload(cell).name},
      {"setting", setting_json(cell.setting)},
      {"metric", metric.name},
      {"unit", metric.unit},
      {"prefer", to_string(metric.prefer)},
      {"baseline", all.candidate(all.baseline_of(finding)).name},
      {"candidate", all.candidate(cell).name},
      {"twin", all.candidate(cell).twin_of.has_value()},
      {"rounds", finding.rounds},
      {"repeats", {{"baseline", finding.repeats.baseline}, {"candidate", finding.repeats.candidate}}},
      {"baseline_typical", finding.baseline_typical},
      {"candidate_typical", finding.candidate_typical},
      {"ratio", ratio ? finite(finding.effect.value) : Json(nullptr)},
      {"difference", ratio ? Json(nullptr) : finite(finding.effect.value)},
      {"interval", ends_json(finding.effect, finding.interval)},
      {"level", finding.interval.level},
      {"typical_runs", typical_json(finding)},
      {"within_trial", within_json(all, finding)},
      {"slow_runs", slow_json(finding)},
      {"mean", mean_json(finding)},
      {"deciles", deciles_json(finding)},
      {"margin", finding.margin},
      {"p", finding.p},
      {"p_same", finding.p_same},
      {"p_adjusted", finding.p_adjusted},
      {"verdict", to_string(finding.verdict)},
      {"beyond_margin", finding.beyond_margin},
      {"method", finding.method},
      {"decided_by", finding.decided_by ? Json(all.design.metrics[*finding.decided_by].name) : Json(nullptr)},
      {"settle", settle_json(all, finding)},
      {"notes", std::move(notes)}};
}

std::string why_not_told(const Overall& o) {
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
    const auto& cell = all.design.cells[part.of.candidate];
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
          {"require", all.design.metrics[r.metric].demand.require->text},
          {"status", to_string(r.status)},
          {"rounds", r.rounds},
          {"typical", r.typical},
          {"interval", interval_json(r.interval)},
          {"spare", r.spare}};
}

Json latencies_json(const Findings& all) {
  Json latencies = Json::array();
  for (const auto& latency : all.latencies) {
    const auto& cell = all.design.cells[latency.of.candidate];
    latencies.push_back({{"workload", all.workload(cell).name},
                         {"setting", setting_json(cell.setting)},
                         {"baseline", all.candidate(all.design.cells[latency.of.baseline]).name},
                         {"candidate", all.candidate(cell).name},
                         {"quantile", latency.quantile},
                         {"baseline_value", latency.baseline},
                         {"candidate_value", latency.candidate},
                         {"ratio", finite(latency.effect.value)},
                         {"interval", interval_json(latency.interval)}});
  }
  return latencies;
}

Json trend_json(const Findings& all, const Trend& t) {
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

void add_together(const Findings& all, Json& document) {
  const auto name = [&](CandidateId id) { return all.design.candidates[id].name; };
  const auto metric_name = [&](MetricId id) { return all.design.metrics[id].name; };
  const auto workload_name = [&](WorkloadId id) { return all.design.workloads[id].name; };
  const auto with_cell = [&](const Contrast& of, const Json& rest) {
    const auto& cell = all.design.cells[of.candidate];
    Json entry = {{"candidate", name(cell.candidate)},
                  {"baseline", name(all.design.cells[of.baseline].candidate)},
                  {"workload", workload_name(cell.workload)},
                  {"setting", setting_json(cell.setting)}};
    entry.update(rest);
    return entry;
  };
  for (const char* key : {"overall", "groups", "turns", "failures", "spreads", "confirmations"})
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
         {"p_alike", o.p_alike},
         {"parts", parts_json(all, o)},
         {"why", why_not_told(o)}});
  for (const auto& g : all.groups) {
    Json members = Json::array();
    for (const auto id : g.members) members.push_back(name(id));
    document["groups"].push_back({{"workload", workload_name(g.workload)},
                                  {"setting", setting_json(g.setting)},
                                  {"metric", metric_name(g.metric)},
                                  {"members", std::move(members)}});
  }
  for (const auto& t : all.turns)
    document["turns"].push_back({{"candidate", name(t.candidate)},
                                 {"workload", workload_name(t.workload)},
                                 {"metric", metric_name(t.metric)},
                                 {"factor", t.factor},
                                 {"others", setting_json(t.others)},
                                 {"last", to_string(t.last)},
                                 {"before", to_string(t.before)},
                                 {"first", to_string(t.first)},
                                 {"after", to_string(t.after)}});
  for (const auto& f : all.failures)
    document["failures"].push_back(with_cell(f.of, {{"baseline_failed", f.baseline_failed},
                                                    {"baseline_trials", f.baseline_trials},
                                                    {"candidate_failed", f.candidate_failed},
                                                    {"candidate_trials", f.candidate_trials},
                                                    {"p", f.p},
                                                    {"p_adjusted", f.p_adjusted},
                                                    {"verdict", to_string(f.verdict)}}));
  for (const auto& f : all.spreads)
    document["spreads"].push_back(with_cell(f.of, {{"metric", metric_name(f.metric)},
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

/// What is said of each candidate.
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
    const auto& cell = all.design.cells[line.of.candidate];
    const auto& metric = all.design.metrics[line.metric];
    profile.push_back({{"workload", all.workload(cell).name},
                       {"setting", setting_json(cell.setting)},
                       {"metric", metric.name},
                       {"unit", metric.unit},
                       {"baseline", all.design.candidate_of(line.of.baseline).name},
                       {"candidate", all.candidate(cell).name},
                       {"baseline_typical", line.baseline},
                       {"candidate_typical", line.candidate},
                       {"ratio", line.effect.is_ratio() ? finite(line.effect.value) : Json(nullptr)},
                       {"difference", line.effect.is_ratio() ? Json(nullptr) : finite(line.effect.value)},
                       {"told", line.told}});
  }
  return profile;
}

}  // namespace

std::string to_json(const Findings& findings) {
  const auto all = for_others(findings);
  Json document = {{"format", 2},
                   {"campaign",
                    {{"id", all.design.uid},
                     {"title", all.design.title},
                     {"kind", all.design.kind},
                     {"state", to_string(all.state)},
                     {"provisional", all.provisional},
                     {"rounds", all.rounds},
                     {"seed", std::to_string(all.design.rules.seed)},
                     {"margin", all.design.rules.margin}}}};
  document["answers"] = answers_json(all);
  document["findings"] = Json::array();
  for (const auto& finding : all.findings) document["findings"].push_back(finding_json(all, finding));
  document["profile"] = profile_json(all);
  document["latencies"] = latencies_json(all);
  document["standings"] = Json::array();
  for (const auto id : all.design.cells.ids())
    if (const auto& state = all.states[id]; !state.is_sound())
      document["standings"].push_back({{"candidate", all.design.candidate_of(id).name},
                                       {"workload", all.design.workload_of(id).name},
                                       {"setting", setting_json(all.design.cells[id].setting)},
                                       {"standing", to_string(state.standing)},
                                       {"detail", state.detail}});
  document["requirements"] = Json::array();
  for (const auto& r : all.requirements) document["requirements"].push_back(requirement_json(all, r));
  document["trends"] = Json::array();
  for (const auto& t : all.trends) document["trends"].push_back(trend_json(all, t));
  add_together(all, document);
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
    if (!metric.demand.missing.empty())
      document["missing"].push_back({{"metric", metric.name}, {"why", metric.demand.missing}});
  document["trust"] = Json::array();
  for (const auto& note : all.trust) document["trust"].push_back(note_json(all.design, note));
  return codec::text_of(document, 2) + "\n";
}

}  // namespace assay::inline v1::render
