#include "assay/render/table.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>
#include <vector>

#include "assay/render/axis.hpp"
#include "assay/render/evidence.hpp"
#include "assay/render/prose.hpp"
#include "assay/render/units.hpp"

namespace assay::render {
namespace {

constexpr std::size_t typical_width = 9, change_width = 8, range_width = 18, axis_width = 26;

struct Rows {
  std::vector<std::string> settings;                        // texts, in the plan's order
  std::map<std::string, std::vector<const Cell*>> missing;  // by setting: cells that are not sound
  std::map<std::string, std::vector<const Finding*>> of;    // by setting
  std::vector<const Finding*> all;
};

Rows rows_of(const Findings& all, WorkloadId workload, MetricId metric) {
  Rows rows;
  for (const auto& cell : all.cells) {
    if (cell.workload != workload || all.candidate(cell).twin_of) continue;
    const auto setting = cell.setting.text();
    if (std::ranges::count(rows.settings, setting) == 0) rows.settings.push_back(setting);
    if (cell.standing != Standing::sound) rows.missing[setting].push_back(&cell);
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
  const auto& name = all.workloads[workload.place()].name;
  const auto rounds = least->rounds == most->rounds ? fmt::format("{}", least->rounds)
                                                    : fmt::format("{} to {}", least->rounds, most->rounds);
  const bool in_the_values = metric.unit.empty() || metric.unit == "s" || metric.unit == "B";
  return fmt::format(
      "{}{}{}, {} is better; change against {}; {}",
      name.empty() || all.campaign.kind == "duel" || all.campaign.kind == "contest" ? "" : name + ": ",
      metric.name, in_the_values ? "" : " (" + metric.unit + ")",
      metric.prefer == Prefer::higher ? "higher" : "lower",
      baselines.size() == 1 ? *baselines.begin() : "its baseline",
      metric.exact && rows.all.front()->margin == 0
          ? "exact"
          : fmt::format("margin {:.3g} %; {} rounds", rows.all.front()->margin * 100, rounds));
}

/// To two digits, upwards: what is estimated roughly should look so.
int rounded_up(int value) {
  int step = 1;
  while (value > 100 * step) step *= 10;
  return (value + step - 1) / step * step;
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
    text += (text.empty() ? "" : ", ") + all.candidates[id.place()].name + ": " +
            cell_value_text(f->baseline_typical, metric.unit);
  return text;
}

/// Why there is no value, in a few words.
std::string missing_text(const Cell& cell) {
  auto why = cell.detail.substr(0, cell.detail.find('\n'));
  constexpr std::size_t most = 60;
  if (cells_of(why) > most) why = left(why, most);
  return to_string(cell.standing) + (why.empty() ? "" : ": " + why);
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
  constexpr const char* signs = "+!=?";
  auto text = fmt::format("{} {}", signs[static_cast<std::size_t>(verdict)], to_string(verdict));
  return style.colour ? colour_of(verdict) + text + "\x1b[0m" : text;
}

std::string settle_text(const Findings& all, const Finding& f) {
  if (!f.to_settle) return {};
  if (f.to_settle->rounds == 0) return f.to_settle->why;
  const auto rounds = rounded_up(f.to_settle->rounds);
  auto text = fmt::format("about {} rounds would settle it", rounds);
  std::string options = fmt::format(" --rounds 7..{}", rounds);
  if (f.to_settle->seconds > 0) {
    text += " (" + span_text(f.to_settle->seconds) + ")";
    options +=
        fmt::format(" --budget {}s", rounded_up(static_cast<int>(std::ceil(1.5 * f.to_settle->seconds))));
  }
  const auto& repeat = all.campaign.repeat;
  const auto verb_end = std::min(repeat.size(), repeat.find(' ', repeat.find(' ') + 1));
  if (!repeat.empty()) text += ": " + repeat.substr(0, verb_end) + options + repeat.substr(verb_end);
  return text;
}

std::string block(const Findings& all, WorkloadId workload, MetricId metric_id, const TextStyle& style) {
  const auto& metric = all.metrics[metric_id.place()];
  const bool ratio = metric.scale == Scale::ratio;
  const auto rows = rows_of(all, workload, metric_id);
  if (rows.all.empty()) return {};
  const Axis axis(rows.all, ratio, axis_width);
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
             right(effect_text(f->effect, ratio, metric.unit), change_width + 2) +
             right(range_text(f->interval.low, f->interval.high, ratio, metric.unit), range_width + 2) +
             "   " + axis.draw(*f) + "  " + verdict_text(f->verdict, style) + "\n";
      if (const auto moved = takes_evidence(all, *f) ? evidence_text(all, *f, 83) : ""; !moved.empty())
        out += "    moved too: " + moved + "\n";
      if (const auto settle = settle_text(all, *f); !settle.empty()) out += "    " + settle + "\n";
    }
    if (missing != rows.missing.end())
      for (const auto* cell : missing->second)
        out += left("  " + all.candidate(*cell).name, names) + right("–", typical_width + 2) + "   " +
               missing_text(*cell) + "\n";
  }
  return out;
}

}  // namespace assay::render
