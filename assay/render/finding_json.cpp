#include "assay/render/finding_json.hpp"

#include <cmath>

#include "assay/codec/json.hpp"
#include "assay/model/enum_names.hpp"
#include "assay/report/advice.hpp"
#include "assay/report/format.hpp"
#include "assay/report/note_text.hpp"

namespace assay::render {

using namespace report;  // its words

namespace {

using Json = nlohmann::ordered_json;
using codec::setting_json;

Json rounds_to_decide_json(const Findings& all, const Finding& finding) {
  const auto& price = finding.rounds_to_decide;
  if (!price) return nullptr;
  const bool possible = price->obstacle == RoundsToDecide::Obstacle::none;
  return {{"rounds", price->rounds > 0 ? Json(price->rounds) : Json(nullptr)},
          {"seconds", price->seconds > 0 ? Json(price->seconds) : Json(nullptr)},
          {"abreast", price->suits_abreast},
          {"why", possible ? std::string{} : rounds_needed_text(all, finding)}};
}

/// Both ends of an effect's interval; an open one is null.
Json ends_json(const Effect& effect, const Interval& interval) {
  return {effect.is_ratio() && interval.low == 0 ? Json(nullptr) : finite(interval.low),
          finite(interval.high)};
}

/// What all runs show, where the finding is that of the fast ones.
Json typical_json(const Finding& finding) {
  if (!finding.all_runs) return nullptr;
  const auto& [effect, interval] = *finding.all_runs;
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
  const auto its = of(finding.comparison.baseline), mine = of(finding.comparison.candidate);
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

/// What each machine shows; null where one ran all rounds.
Json machines_json(const Finding& finding) {
  if (finding.machines.empty()) return nullptr;
  Json all = Json::array();
  for (const auto& of : finding.machines)
    all.push_back({{"machine", of.machine},
                   {"rounds", of.rounds},
                   {of.effect.is_ratio() ? "ratio" : "difference", finite(of.effect.value)},
                   {"interval", of.interval ? ends_json(of.effect, *of.interval) : Json(nullptr)}});
  return all;
}

}  // namespace

Json finite(double value) { return std::isfinite(value) ? Json(value) : Json(nullptr); }
Json perhaps(const std::optional<double>& value) { return value ? Json(*value) : Json(nullptr); }

Json note_json(const Design& design, const Note& note) {
  const auto [about, text] = note_text(design, note);
  return {{"about", about}, {"kind", to_string(note.kind)},  {"level", to_string(note.level)},
          {"text", text},   {"figure", perhaps(note.value)}, {"threshold", perhaps(note.threshold)}};
}

Json finding_json(const Findings& all, const Finding& finding) {
  const auto& cell = all.candidate_cell(finding);
  const auto& metric = all.metric_of(finding);
  const bool ratio = finding.effect.is_ratio();
  Json notes = Json::array();
  for (const auto& note : finding.notes) notes.push_back(note_json(all.design, note));
  return {
      {"workload", all.workload(cell).name},
      {"setting", setting_json(cell.setting)},
      {"metric", metric.name},
      {"unit", metric.unit},
      {"prefer", to_string(metric.direction)},
      {"baseline", all.candidate(all.baseline_cell(finding)).name},
      {"candidate", all.candidate(cell).name},
      {"twin", all.candidate(cell).twin_of.has_value()},
      {"rounds", finding.rounds},
      {"repeats", {{"baseline", finding.replication.baseline}, {"candidate", finding.replication.candidate}}},
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
      {"p_same", finding.p_equivalence},
      {"p_adjusted", finding.p_adjusted},
      {"verdict", to_string(finding.verdict)},
      {"beyond_margin", finding.beyond_margin},
      {"method", method_text(finding.method)},
      {"decided_by",
       finding.superseded_by ? Json(all.design.metrics[*finding.superseded_by].name) : Json(nullptr)},
      {"machines", machines_json(finding)},
      {"machines_p", perhaps(finding.machines_p)},
      {"main_machine", finding.machines.empty() ? Json(nullptr) : Json(finding.main_machine)},
      {"to_decide", rounds_to_decide_json(all, finding)},
      {"notes", std::move(notes)}};
}

}  // namespace assay::render
