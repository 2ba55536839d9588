#include "assay/report/blocks.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "assay/judge/times.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/model/names.hpp"
#include "assay/report/cells.hpp"
#include "assay/report/evidence.hpp"
#include "assay/report/names.hpp"
#include "assay/report/notes.hpp"
#include "assay/report/price.hpp"
#include "assay/report/units.hpp"
#include "assay/report/words.hpp"

namespace assay::inline v1::report {
namespace {

/// Why there is no value, in a few words.
std::string missing_text(const CellState& state) {
  const auto lines = lines_of(state.detail);
  auto why = lines.empty() ? std::string{} : lines.front();
  constexpr std::size_t most = 60;
  if (cells_of(why) > most) why = left(why, most);
  return to_string(state.standing) + (why.empty() ? "" : ": " + why);
}

/// "fast runs −5.0 % (−5.4 … −4.6 %), typical runs −3 % (−9 … +4 %)"; empty where both read alike.
std::string runs_text(const Finding& f, const Metric& metric) {
  if (!f.typical || !std::isfinite(f.interval.high)) return {};
  const auto shown = [&](const Effect& effect, const Interval& interval) {
    return effect_text(effect, metric.unit) + " (" + range_text(interval, metric.scale, metric.unit) + ")";
  };
  const auto fast = shown(f.effect, f.interval), typical = shown(f.typical->effect, f.typical->interval);
  if (fast == typical) return {};
  auto text = "fast runs " + fast + ", typical runs " + typical;
  if (f.verdict == Verdict::same && f.effect.is_ratio())
    text += fmt::format(": within {:.3g} % and {:.3g} %", f.margin * 100, 5 * f.margin * 100);
  return text;
}

Row row_of(const Findings& all, const Finding& f) {
  const auto& cell = all.candidate_of(f);
  const auto& metric = all.metric_of(f);
  constexpr std::size_t moved_columns = 83;
  return {.finding = &f,
          .cell = f.of.candidate,
          .candidate = all.candidate(cell).name,
          .setting = cell.setting.text(),
          .where = cell_text(all, cell),
          .baseline = all.candidate(all.baseline_of(f)).name,
          .baseline_typical = cell_value_text(f.baseline_typical, metric.unit),
          .typical = cell_value_text(f.candidate_typical, metric.unit),
          .change = effect_text(f.effect, metric.unit),
          .interval = range_text(f.interval, metric.scale, metric.unit),
          .sign = f.decided_by ? " " : sign_of(f.verdict),
          .verdict = f.decided_by ? "see " + all.design.metrics[*f.decided_by].name
                                  : verdict_word(metric, f.verdict),
          .runs = runs_text(f, metric),
          .moved = takes_evidence(all, f) ? evidence_text(all, f, moved_columns) : std::string{},
          .settle = settle_text(all, f),
          .why = {}};
}

Row missing_row(const Findings& all, CellId id) {
  const auto& cell = all.design.cells[id];
  return {.cell = id,
          .candidate = all.candidate(cell).name,
          .setting = cell.setting.text(),
          .where = cell_text(all, cell),
          .verdict = to_string(all.states[id].standing),
          .why = missing_text(all.states[id])};
}

/// "locks=200, list: 412 ms", or several baselines with their values: of each what most rounds told.
std::string against(const Findings& all, const SettingRows& of) {
  std::map<CandidateId, const Row*> longest;
  for (const auto& row : of.rows) {
    if (row.finding == nullptr) continue;
    auto& best = longest[all.baseline_of(*row.finding).candidate];
    if (best == nullptr || row.finding->rounds > best->finding->rounds) best = &row;
  }
  std::string text = of.setting;
  for (const auto& [id, row] : longest)
    text += (text.empty() ? "" : ", ") + row->baseline + ": " + row->baseline_typical;
  return text;
}

/// Its rows by setting, in the plan's order.
std::vector<SettingRows> settings_of(const Findings& all, WorkloadId workload,
                                     const std::vector<const Finding*>& findings) {
  std::vector<SettingRows> settings;
  std::map<std::string, std::size_t> places;
  const auto rows_at = [&](const std::string& setting) -> std::vector<Row>& {
    const auto [place, added] = places.try_emplace(setting, settings.size());
    if (added) settings.push_back({.setting = setting, .against = {}, .rows = {}});
    return settings[place->second].rows;
  };
  for (const auto& cell : all.design.cells)
    if (cell.workload == workload && !all.candidate(cell).twin_of) rows_at(cell.setting.text());
  for (const auto* f : findings) rows_at(all.candidate_of(*f).setting.text()).push_back(row_of(all, *f));
  for (const auto id : all.design.cells.ids())
    if (all.design.cells[id].workload == workload && !all.states[id].is_sound() && !all.design.is_twin(id))
      rows_at(all.design.cells[id].setting.text()).push_back(missing_row(all, id));
  std::erase_if(settings, [](const SettingRows& s) { return s.rows.empty(); });
  for (auto& setting : settings) setting.against = against(all, setting);
  return settings;
}

std::string rules_text(const Metric& metric, const std::vector<const Finding*>& findings) {
  const double margin = findings.front()->margin;
  if (metric.exact && margin == 0) return "exact";
  const auto [least, most] = std::ranges::minmax(findings, {}, [](const Finding* f) { return f->rounds; });
  auto text =
      fmt::format("margin {:.3g} %; {} rounds", margin * 100,
                  least->rounds == most->rounds ? fmt::format("{}", least->rounds)
                                                : fmt::format("{} to {}", least->rounds, most->rounds));
  int repeats = 1;
  for (const auto* f : findings) repeats = std::max({repeats, f->repeats.baseline, f->repeats.candidate});
  if (repeats > 1) text += fmt::format(" with up to {} runs each", repeats);
  constexpr double usual = 0.95;
  const auto [lowest, highest] =
      std::ranges::minmax(findings, {}, [](const Finding* f) { return f->interval.level; });
  if (std::abs(highest->interval.level - usual) < 1e-9 && lowest->interval.level == highest->interval.level)
    return text;
  const auto level = [](const Finding* f) { return fmt::format("{:.4g}", f->interval.level * 100); };
  return text + "; intervals at " + level(lowest) +
         (level(lowest) == level(highest) ? "" : " to " + level(highest)) + " %";
}

Block block_of(const Findings& all, WorkloadId workload, MetricId metric_id,
               const std::vector<const Finding*>& findings) {
  const auto& metric = all.design.metrics[metric_id];
  std::set<std::string> baselines;
  for (const auto* f : findings) baselines.insert(all.candidate(all.baseline_of(*f)).name);
  const bool in_the_values = metric.unit.empty() || metric.unit == "s" || metric.unit == "B";
  return {.workload = workload,
          .metric = metric_id,
          .workload_name = all.design.workloads[workload].name,
          .metric_name = metric.name,
          .unit = in_the_values ? std::string{} : metric.unit,
          .unit_of_effects = metric.unit,
          .better = metric.prefer == Prefer::higher ? "higher is better" : "lower is better",
          .baseline = baselines.size() == 1 ? *baselines.begin() : "its baseline",
          .rules = rules_text(metric, findings),
          .matters = metric.exact ? "compared exactly"
                     : findings.front()->effect.is_ratio()
                         ? fmt::format("a change matters from {:.3g} % on", findings.front()->margin * 100)
                         : "differences",
          .settings = settings_of(all, workload, findings),
          .overview = overview_of(all, metric_id, workload)};
}

}  // namespace

std::vector<const Finding*> Block::findings() const {
  std::vector<const Finding*> all;
  for (const auto& setting : settings)
    for (const auto& row : setting.rows)
      if (row.finding != nullptr) all.push_back(row.finding);
  std::ranges::sort(all);  // they lie in one list
  return all;
}

std::vector<Block> blocks_of(const Findings& all) {
  std::map<std::pair<WorkloadId, MetricId>, std::vector<const Finding*>> of;
  for (const auto& f : all.findings)
    if (is_watched(all, f) && !all.design.is_twin(f.of.candidate))
      of[{all.candidate_of(f).workload, f.metric}].push_back(&f);
  std::vector<Block> blocks;
  for (const auto& [place, findings] : of)
    if (!metrics::is_implied(all.design.metrics[place.second]) ||
        !std::ranges::all_of(findings, [&](const Finding* f) { return judge::is_beside(all, *f); }))
      blocks.push_back(block_of(all, place.first, place.second, findings));
  return blocks;
}

std::vector<WholeView> views_of(const Findings& all) {
  const bool both_times = std::ranges::any_of(all.design.metrics, metrics::is_implied);
  std::vector<WholeView> views;
  for (const auto id : all.design.metrics.ids()) {
    const auto& metric = all.design.metrics[id];
    if (!metric.demand.watched || metrics::is_implied(metric)) continue;
    auto overview = overview_of(all, id);
    if (overview.columns.size() >= 2 && overview.candidates.size() >= 3)
      views.push_back({id,
                       both_times && metrics::is(metric, metrics::Known::wall_time) ? "time" : metric.name,
                       std::move(overview)});
  }
  return views;
}

}  // namespace assay::inline v1::report
