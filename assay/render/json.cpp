#include "assay/render/json.hpp"

#include <cmath>
#include <nlohmann/json.hpp>

namespace assay::render {
namespace {

using Json = nlohmann::ordered_json;

Json finite(double value) { return std::isfinite(value) ? Json(value) : Json(nullptr); }
Json perhaps(const std::optional<double>& value) { return value ? Json(*value) : Json(nullptr); }

Json setting_json(const Setting& setting) {
  Json object = Json::object();
  for (const auto& [name, level] : setting.levels)
    std::visit([&, &key = name](const auto& value) { object[key] = value; }, level);
  return object;
}

const char* prefer_text(Prefer prefer) {
  return prefer == Prefer::lower ? "lower" : prefer == Prefer::higher ? "higher" : "neither";
}

Json note_json(const TrustNote& note) {
  return {{"about", note.about},
          {"level", note.level == TrustNote::Level::note ? "note" : "warning"},
          {"text", note.text},
          {"figure", perhaps(note.figure)},
          {"threshold", perhaps(note.threshold)}};
}

Json settle_json(const std::optional<Price>& price) {
  if (!price) return nullptr;
  return {{"rounds", price->rounds > 0 ? Json(price->rounds) : Json(nullptr)},
          {"seconds", price->seconds > 0 ? Json(price->seconds) : Json(nullptr)},
          {"why", price->why}};
}

Json finding_json(const Findings& all, const Finding& finding) {
  const auto& cell = all.candidate_of(finding);
  const auto& metric = all.metric_of(finding);
  const bool ratio = metric.scale == Scale::ratio;
  Json notes = Json::array();
  for (const auto& note : finding.notes) notes.push_back(note_json(note));
  return {{"workload", all.workload(cell).name},
          {"setting", setting_json(cell.setting)},
          {"metric", metric.name},
          {"unit", metric.unit},
          {"prefer", prefer_text(metric.prefer)},
          {"baseline", all.candidate(all.baseline_of(finding)).name},
          {"candidate", all.candidate(cell).name},
          {"twin", all.candidate(cell).twin_of.has_value()},
          {"rounds", finding.rounds},
          {"baseline_typical", finding.baseline_typical},
          {"candidate_typical", finding.candidate_typical},
          {"ratio", ratio ? finite(finding.effect) : Json(nullptr)},
          {"difference", ratio ? Json(nullptr) : finite(finding.effect)},
          {"interval",
           {ratio && finding.interval.low == 0 ? Json(nullptr) : finite(finding.interval.low),
            finite(finding.interval.high)}},
          {"level", finding.interval.level},
          {"margin", finding.margin},
          {"p", finding.p},
          {"p_same", finding.p_same},
          {"p_adjusted", finding.p_adjusted},
          {"verdict", to_string(finding.verdict)},
          {"beyond_margin", finding.beyond_margin},
          {"method", finding.method},
          {"settle", settle_json(finding.to_settle)},
          {"notes", std::move(notes)}};
}

Json interval_json(const Interval& interval) { return {finite(interval.low), finite(interval.high)}; }

Json requirement_json(const Findings& all, const RequirementFinding& r) {
  const auto& cell = all.cells[r.cell.place()];
  return {{"workload", all.workload(cell).name},
          {"setting", setting_json(cell.setting)},
          {"candidate", all.candidate(cell).name},
          {"metric", all.metrics[r.metric.place()].name},
          {"require", all.demands[r.metric.place()].require->text},
          {"status", to_string(r.status)},
          {"rounds", r.rounds},
          {"typical", r.typical},
          {"interval", interval_json(r.interval)},
          {"spare", r.spare}};
}

Json trend_json(const Findings& all, const Trend& t) {
  return {{"workload", all.workloads[t.workload.place()].name},
          {"candidate", all.candidates[t.candidate.place()].name},
          {"metric", all.metrics[t.metric.place()].name},
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
  const auto name = [&](CandidateId id) { return all.candidates[id.place()].name; };
  const auto metric_name = [&](MetricId id) { return all.metrics[id.place()].name; };
  const auto workload_name = [&](WorkloadId id) { return all.workloads[id.place()].name; };
  const auto with_cell = [&](const Contrast& of, const Json& rest) {
    const auto& cell = all.cells[of.candidate.place()];
    Json entry = {{"candidate", name(cell.candidate)},
                  {"baseline", name(all.cells[of.baseline.place()].candidate)},
                  {"workload", workload_name(cell.workload)},
                  {"setting", setting_json(cell.setting)}};
    entry.update(rest);
    return entry;
  };
  for (const char* key : {"overall", "groups", "turns", "failures", "spreads", "confirmations"})
    document[key] = Json::array();
  for (const auto& o : all.overall)
    document["overall"].push_back({{"candidate", name(o.candidate)},
                                   {"metric", metric_name(o.metric)},
                                   {"comparisons", o.cells},
                                   {"agree", o.agree},
                                   {"rounds", o.finding.rounds},
                                   {"ratio", o.why.empty() ? finite(o.finding.effect) : Json(nullptr)},
                                   {"interval", interval_json(o.finding.interval)},
                                   {"p", o.finding.p},
                                   {"verdict", to_string(o.finding.verdict)},
                                   {"why", o.why}});
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

}  // namespace

std::string to_json(const Findings& all) {
  Json document = {{"format", 1},
                   {"campaign",
                    {{"id", all.campaign.uid},
                     {"title", all.campaign.title},
                     {"kind", all.campaign.kind},
                     {"state", to_string(all.campaign.state)},
                     {"provisional", all.provisional},
                     {"rounds", all.rounds},
                     {"seed", std::to_string(all.campaign.seed)},
                     {"margin", all.campaign.margin}}}};
  document["findings"] = Json::array();
  for (const auto& finding : all.findings) document["findings"].push_back(finding_json(all, finding));
  document["standings"] = Json::array();
  for (const auto& cell : all.cells)
    if (cell.standing != Standing::sound)
      document["standings"].push_back({{"candidate", all.candidate(cell).name},
                                       {"workload", all.workload(cell).name},
                                       {"setting", setting_json(cell.setting)},
                                       {"standing", to_string(cell.standing)},
                                       {"detail", cell.detail}});
  document["requirements"] = Json::array();
  for (const auto& r : all.requirements) document["requirements"].push_back(requirement_json(all, r));
  document["trends"] = Json::array();
  for (const auto& t : all.trends) document["trends"].push_back(trend_json(all, t));
  add_together(all, document);
  document["candidates"] = Json::array();
  for (const auto& c : all.candidates)
    document["candidates"].push_back({{"name", c.name},
                                      {"twin", c.twin_of.has_value()},
                                      {"identity", c.from.identity},
                                      {"commit", c.from.commit},
                                      {"compiler", c.from.compiler},
                                      {"flags", c.from.flags}});
  document["missing"] = Json::array();
  for (std::size_t i = 0; i < all.metrics.size(); ++i)
    if (!all.demands[i].missing.empty())
      document["missing"].push_back({{"metric", all.metrics[i].name}, {"why", all.demands[i].missing}});
  document["trust"] = Json::array();
  for (const auto& note : all.trust) document["trust"].push_back(note_json(note));
  return document.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
}

}  // namespace assay::render
