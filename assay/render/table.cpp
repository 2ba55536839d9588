#include "assay/render/table.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>
#include <vector>

#include "assay/model/names.hpp"
#include "assay/render/axis.hpp"
#include "assay/report/cells.hpp"
#include "assay/report/evidence.hpp"
#include "assay/report/names.hpp"
#include "assay/report/notes.hpp"
#include "assay/report/sentences.hpp"
#include "assay/report/units.hpp"

namespace assay::inline v1::render {

using namespace report;  // its words
namespace {

constexpr std::size_t typical_width = 9, change_width = 8, range_width = 18, axis_width = 26;

struct Rows {
  std::vector<std::string> settings;                      // texts, in the plan's order
  std::map<std::string, std::vector<CellId>> missing;     // by setting: cells that are not sound
  std::map<std::string, std::vector<const Finding*>> of;  // by setting
  std::vector<const Finding*> all;
};

Rows rows_of(const Findings& all, WorkloadId workload, MetricId metric) {
  Rows rows;
  for (const auto id : all.design.cells.ids()) {
    const auto& cell = all.design.cells[id];
    if (cell.workload != workload || all.candidate(cell).twin_of) continue;
    const auto setting = cell.setting.text();
    if (std::ranges::count(rows.settings, setting) == 0) rows.settings.push_back(setting);
    if (!all.states[id].is_sound()) rows.missing[setting].push_back(id);
  }
  for (const auto& f : all.findings) {
    const auto& cell = all.candidate_of(f);
    if (cell.workload != workload || f.metric != metric || all.candidate(cell).twin_of) continue;
    const auto setting = cell.setting.text();
    rows.of[setting].push_back(&f);
    rows.all.push_back(&f);
  }
  return rows;
}

std::string title(const Findings& all, const Rows& rows, WorkloadId workload, const Metric& metric) {
  const auto [least, most] = std::ranges::minmax(rows.all, {}, [](const Finding* f) { return f->rounds; });
  std::set<std::string> baselines;
  for (const auto* f : rows.all) baselines.insert(all.candidate(all.baseline_of(*f)).name);
  const auto& name = all.design.workloads[workload].name;
  const auto rounds = least->rounds == most->rounds ? fmt::format("{}", least->rounds)
                                                    : fmt::format("{} to {}", least->rounds, most->rounds);
  const bool in_the_values = metric.unit.empty() || metric.unit == "s" || metric.unit == "B";
  return fmt::format(
      "{}{}{}, {} is better; change against {}; {}",
      name.empty() || all.design.kind == "duel" || all.design.kind == "contest" ? "" : name + ": ",
      metric.name, in_the_values ? "" : " (" + metric.unit + ")",
      metric.prefer == Prefer::higher ? "higher" : "lower",
      baselines.size() == 1 ? *baselines.begin() : "its baseline",
      metric.exact && rows.all.front()->margin == 0
          ? "exact"
          : fmt::format("margin {:.3g} %; {} rounds", rows.all.front()->margin * 100, rounds));
}

/// "locks=200, list: 412 ms", or several baselines with their values.
std::string baseline_line(const Findings& all, const std::string& setting,
                          const std::vector<const Finding*>& findings, const Metric& metric) {
  std::map<CandidateId, const Finding*> longest;  // of each baseline
  for (const auto* f : findings) {
    auto& best = longest[all.baseline_of(*f).candidate];
    if (best == nullptr || f->rounds > best->rounds) best = f;
  }
  std::string text = setting;
  for (const auto& [id, f] : longest)
    text += (text.empty() ? "" : ", ") + all.design.candidates[id].name + ": " +
            cell_value_text(f->baseline_typical, metric.unit);
  return text;
}

/// Why there is no value, in a few words.
std::string missing_text(const CellState& state) {
  const auto lines = lines_of(state.detail);
  auto why = lines.empty() ? std::string{} : lines.front();
  constexpr std::size_t most = 60;
  if (cells_of(why) > most) why = left(why, most);
  return to_string(state.standing) + (why.empty() ? "" : ": " + why);
}

/// Widest name, with its indent, within reason.
std::size_t name_width(const Findings& all, const Rows& rows) {
  std::size_t widest = 8;
  for (const auto* f : rows.all)
    widest = std::max(widest, cells_of(all.candidate(all.candidate_of(*f)).name) + 2);
  return std::min<std::size_t>(widest, 22);
}

}  // namespace

std::string colour_of(Verdict verdict) {
  return verdict == Verdict::better ? "\x1b[34m" : verdict == Verdict::worse ? "\x1b[38;5;166m" : "\x1b[0m";
}

std::string verdict_text(Verdict verdict, const TextStyle& style) {
  auto text = sign_of(verdict) + " " + to_string(verdict);
  return style.colour ? colour_of(verdict) + text + "\x1b[0m" : text;
}

std::string block(const Findings& all, WorkloadId workload, MetricId metric_id, const TextStyle& style) {
  const auto& metric = all.design.metrics[metric_id];
  const auto rows = rows_of(all, workload, metric_id);
  if (rows.all.empty()) return {};
  const Axis axis(rows.all, metric.scale, axis_width);
  const auto names = name_width(all, rows);
  std::string out = title(all, rows, workload, metric) + "\n";
  out += left("", names) + right("typical", typical_width + 2) + right("change", change_width + 2) +
         right("interval", range_width + 2) + "   " + axis.legend(metric.unit) + "\n";
  for (const auto& setting : rows.settings) {
    const auto found = rows.of.find(setting);
    const auto findings = found == rows.of.end() ? std::vector<const Finding*>{} : found->second;
    const auto missing = rows.missing.find(setting);
    if (findings.empty() && missing == rows.missing.end()) continue;
    out += baseline_line(all, setting, findings, metric) + "\n";
    for (const auto* f : findings) {
      out += left("  " + all.candidate(all.candidate_of(*f)).name, names) +
             right(cell_value_text(f->candidate_typical, metric.unit), typical_width + 2) +
             right(effect_text(f->effect, metric.unit), change_width + 2) +
             right(range_text(f->interval, metric.scale, metric.unit), range_width + 2) + "   " +
             axis.draw(*f) + "  " + verdict_text(f->verdict, style) + "\n";
      if (const auto moved = takes_evidence(all, *f) ? evidence_text(all, *f, 83) : ""; !moved.empty())
        out += "    moved too: " + moved + "\n";
      if (const auto settle = settle_text(all, *f); !settle.empty()) out += "    " + settle + "\n";
    }
    if (missing != rows.missing.end())
      for (const auto cell : missing->second)
        out += left("  " + all.design.candidate_of(cell).name, names) + right("–", typical_width + 2) +
               "   " + missing_text(all.states[cell]) + "\n";
  }
  return out;
}

}  // namespace assay::inline v1::render
