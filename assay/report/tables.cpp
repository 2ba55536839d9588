#include "assay/report/tables.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "assay/judge/cpu_wall.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/model/enum_names.hpp"
#include "assay/report/advice.hpp"
#include "assay/report/format.hpp"
#include "assay/report/machines_text.hpp"
#include "assay/report/note_text.hpp"
#include "assay/report/report.hpp"
#include "assay/report/sentence.hpp"

namespace assay::report {

namespace {

/// Why there is no value, in a few words.
std::string missing_text(const CellStatus& state) {
  const auto lines = split_lines(state.detail);
  auto why = lines.empty() ? std::string{} : lines.front();
  constexpr std::size_t most = 60;
  if (display_width(why) > most) why = pad_right(why, most);
  return to_string(state.code) + (why.empty() ? "" : ": " + why);
}

/// "fast runs −5.0 % (−5.4 … −4.6 %), typical runs −3 % (−9 … +4 %)"; empty where both say about the same.
std::string runs_text(const Finding& f, const Metric& metric) {
  if (!f.all_runs || !std::isfinite(f.interval.high) || (f.effect.is_ratio() && f.interval.low <= 0))
    return {};
  const auto& [effect, interval] = *f.all_runs;
  const auto at = [&](double x) { return Effect{f.effect.scale, x}.transformed(); };
  constexpr double much_wider = 1.5;
  const bool about_as_wide =
      at(interval.high) - at(interval.low) <= much_wider * (at(f.interval.high) - at(f.interval.low));
  if (f.interval.contains(effect.value) && about_as_wide) return {};
  const auto shown = [&](const Effect& e, const Interval& i) {
    return effect_text(e, metric.unit) + " (" + range_text(i, metric.scale, metric.unit) + ")";
  };
  return "fast runs " + shown(f.effect, f.interval) + ", typical runs " + shown(effect, interval);
}

/// "capped is at its ceiling of 30: the gain may be larger than +17 %"; empty where no one side is.
std::string limit_text(const Findings& all, const Finding& f) {
  std::vector<const Note*> there;
  for (const auto& note : f.notes)
    if (note.kind == NoteKind::at_saturation) there.push_back(&note);
  if (there.size() != 1) return {};  // of both, what it takes to settle it says it
  const auto& metric = all.metric_of(f);
  const auto& note = *there.front();
  const auto cell = std::get<CellId>(note.subject);
  const bool gains = (f.effect.transformed() > 0) == (metric.direction == Direction::higher);
  return fmt::format("{} is at the declared ceiling of {}: the {} may be larger than {}",
                     all.design.candidate_of(cell).name, number_text(note.threshold.value_or(0)),
                     cell == f.comparison.candidate ? (gains ? "gain" : "loss") : "difference",
                     effect_text(f.effect, metric.unit));
}

/// "list 33 … 38, heap 29 … 41"; empty where trials have one value.
std::string within_text(const Findings& all, const Finding& f) {
  const auto& metric = all.metric_of(f);
  const bool has_many = std::ranges::any_of(all.within_trials, [&](const WithinTrialSpread& within) {
    return within.cell == f.comparison.candidate && within.metric == f.metric;
  });
  if (!has_many) return {};
  std::string text;
  for (const auto cell : {f.comparison.baseline, f.comparison.candidate})
    for (const auto& within : all.within_trials)
      if (within.cell == cell && within.metric == f.metric)
        text += (text.empty() ? "" : ", ") + all.design.candidate_of(cell).name + " " +
                cell_value_text(within.low, metric.unit) + " … " + cell_value_text(within.high, metric.unit);
  return text;
}

std::vector<std::string> levels_of(const Setting& setting) {
  std::vector<std::string> levels;
  for (const auto& [name, level] : setting.levels) levels.push_back(to_string(level));
  return levels;
}

Row row_of(const Findings& all, const Finding& f) {
  const auto& cell = all.candidate_cell(f);
  const auto& metric = all.metric_of(f);
  constexpr std::size_t moved_columns = 83;
  return {
      .finding = &f,
      .cell = f.comparison.candidate,
      .candidate = all.candidate(cell).name,
      .setting = cell.setting.text(),
      .levels = levels_of(cell.setting),
      .where = cell_text(all, cell),
      .baseline = all.candidate(all.baseline_cell(f)).name,
      .baseline_typical = cell_value_text(f.baseline_typical, metric.unit),
      .typical = cell_value_text(f.candidate_typical, metric.unit),
      .change = effect_text(f.effect, metric.unit),
      .interval = range_text(f.interval, metric.scale, metric.unit),
      .sign = f.superseded_by ? " " : sign_of(f.verdict),
      .verdict = f.superseded_by ? "see " + all.design.metrics[*f.superseded_by].name
                                 : verdict_word(metric, f.verdict),
      .rest = rest_figures(all, f),
      .machines = machines_text(all, f),
      .runs = runs_text(f, metric),
      .limit = limit_text(all, f),
      .within = within_text(all, f),
      .related = shows_related_metrics(all, f) ? related_metrics_text(all, f, moved_columns) : std::string{},
      .rounds_needed = rounds_needed_text(all, f),
      .reason = {}};
}

Row missing_row(const Findings& all, CellId id) {
  const auto& cell = all.design.cells[id];
  return {.cell = id,
          .candidate = all.candidate(cell).name,
          .setting = cell.setting.text(),
          .levels = levels_of(cell.setting),
          .where = cell_text(all, cell),
          .verdict = to_string(all.statuses[id].code),
          .reason = missing_text(all.statuses[id])};
}

/// "locks=200, list: 412 ms", or several baselines with their values: of each what most rounds showed.
std::string against(const Findings& all, const SettingRows& of) {
  std::map<CandidateId, const Row*> longest;
  for (const auto& row : of.rows) {
    if (row.finding == nullptr) continue;
    auto& best = longest[all.baseline_cell(*row.finding).candidate];
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
    if (added) settings.push_back({.setting = setting, .baseline_text = {}, .rows = {}});
    return settings[place->second].rows;
  };
  for (const auto& cell : all.design.cells)
    if (cell.workload == workload && !all.candidate(cell).twin_of) rows_at(cell.setting.text());
  for (const auto* f : findings) rows_at(all.candidate_cell(*f).setting.text()).push_back(row_of(all, *f));
  const auto measured = std::ranges::count_if(settings, [](const SettingRows& s) { return !s.rows.empty(); });
  // One that is left out at all of several settings has its sentence, and a row at each would say no more.
  const auto takes_part = [&](CandidateId candidate) {
    return measured <= 1 || std::ranges::any_of(findings, [&](const Finding* f) {
             return all.candidate_cell(*f).candidate == candidate;
           });
  };
  for (const auto id : all.design.cells.ids())
    if (all.design.cells[id].workload == workload && !all.statuses[id].is_ok() && !all.design.is_twin(id) &&
        takes_part(all.design.cells[id].candidate))
      rows_at(all.design.cells[id].setting.text()).push_back(missing_row(all, id));
  std::erase_if(settings, [](const SettingRows& s) { return s.rows.empty(); });
  for (auto& setting : settings) setting.baseline_text = against(all, setting);
  return settings;
}

std::string rules_text(const Metric& metric, const std::vector<const Finding*>& findings) {
  const double margin = findings.front()->margin;
  if (metric.exact && margin == 0) return "exact";
  const auto [least, most] = std::ranges::minmax(findings, {}, [](const Finding* f) { return f->rounds; });
  const bool apart = std::ranges::all_of(findings, [](const Finding* f) {
    return std::ranges::count(f->notes, NoteKind::unpaired, &Note::kind) > 0;
  });
  auto text =
      fmt::format("margin {}; {} {}",
                  findings.front()->effect.is_ratio() ? fmt::format("{:.3g} %", margin * 100)
                                                      : value_text(margin, metric.unit),
                  least->rounds == most->rounds ? fmt::format("{}", least->rounds)
                                                : fmt::format("{} to {}", least->rounds, most->rounds),
                  apart ? "values of each, not measured side by side" : "rounds");
  int repeats = 1;
  for (const auto* f : findings)
    repeats = std::max({repeats, f->replication.baseline, f->replication.candidate});
  if (repeats > 1) text += fmt::format(" with up to {} runs each", repeats);
  const auto of_several =
      std::ranges::find_if(findings, [](const Finding* f) { return !f->machines.empty(); });
  if (of_several != findings.end())
    text += fmt::format("; values as on machine {}", (*of_several)->main_machine);
  constexpr double usual = 0.95;
  const auto [lowest, highest] =
      std::ranges::minmax(findings, {}, [](const Finding* f) { return f->interval.level; });
  if (std::abs(highest->interval.level - usual) < 1e-9 && lowest->interval.level == highest->interval.level)
    return text;
  const auto level = [](const Finding* f) { return fmt::format("{:.4g}", f->interval.level * 100); };
  return text + "; intervals at " + level(lowest) +
         (level(lowest) == level(highest) ? "" : " to " + level(highest)) + " %";
}

/// The factors that all their settings have; empty where they are not the same ones.
std::vector<std::string> factors_of(const Findings& all, const std::vector<const Finding*>& findings) {
  std::vector<std::string> factors;
  for (const auto* f : findings) {
    std::vector<std::string> names;
    for (const auto& [name, level] : all.candidate_cell(*f).setting.levels) names.push_back(name);
    if (f != findings.front() && names != factors) return {};
    factors = std::move(names);
  }
  return factors;
}

ComparisonTable comparison_table(const Findings& all, WorkloadId workload, MetricId metric_id,
                                 const std::vector<const Finding*>& findings) {
  const auto& metric = all.design.metrics[metric_id];
  std::set<std::string> baselines;
  for (const auto* f : findings) baselines.insert(all.candidate(all.baseline_cell(*f)).name);
  const bool in_the_values = metric.unit.empty() || metric.unit == "s" || metric.unit == "B";
  return {
      .workload = workload,
      .metric = metric_id,
      .workload_name = all.design.workloads[workload].name,
      .metric_name = metric.name,
      .unit = in_the_values ? std::string{} : metric.unit,
      .unit_of_effects = metric.unit,
      .better = metric.direction == Direction::higher ? "higher is better" : "lower is better",
      .baseline = baselines.size() == 1 ? *baselines.begin() : "its baseline",
      .rules = rules_text(metric, findings),
      .factors = factors_of(all, findings),
      .margin_text = metric.exact ? "compared exactly"
                     : findings.front()->effect.is_ratio()
                         ? fmt::format("a change matters from {:.3g} % on", findings.front()->margin * 100)
                         : "differences",
      .advice = advice_text(all, findings),
      .in_short = cross_reference(all, findings),
      .settings = settings_of(all, workload, findings),
      .overview = make_overview(all, metric_id, workload)};
}

}  // namespace

const Row* ComparisonTable::single_row() const {
  const Row* first = nullptr;
  for (const auto& setting : settings) {
    if (setting.rows.size() != 1) return nullptr;
    const auto& row = setting.rows.front();
    if (row.candidate != settings.front().rows.front().candidate) return nullptr;
    if (row.finding == nullptr) continue;
    if (first != nullptr && row.baseline != first->baseline) return nullptr;
    if (first == nullptr) first = &row;
  }
  return first;
}

std::vector<const Finding*> ComparisonTable::findings() const {
  std::vector<const Finding*> all;
  for (const auto& setting : settings)
    for (const auto& row : setting.rows)
      if (row.finding != nullptr) all.push_back(row.finding);
  std::ranges::sort(all);  // they lie in one list
  return all;
}

std::vector<ComparisonTable> comparison_tables(const Findings& all) {
  std::map<std::pair<WorkloadId, MetricId>, std::vector<const Finding*>> of;
  for (const auto& f : all.findings)
    if (is_watched(all, f) && !is_all_zero(all, f) && !all.design.is_twin(f.comparison.candidate))
      of[{all.candidate_cell(f).workload, f.metric}].push_back(&f);
  std::vector<ComparisonTable> blocks;
  for (const auto& [place, findings] : of)
    if (!metrics::is_default_cpu_time(all.design.metrics[place.second]) ||
        !std::ranges::all_of(findings, [&](const Finding* f) { return judge::is_secondary(all, *f); }))
      blocks.push_back(comparison_table(all, place.first, place.second, findings));
  return blocks;
}

std::vector<MatrixView> matrix_views(const Findings& all) {
  const bool both_times = std::ranges::any_of(all.design.metrics, metrics::is_default_cpu_time);
  std::vector<MatrixView> views;
  for (const auto id : all.design.metrics.ids()) {
    const auto& metric = all.design.metrics[id];
    if (!metric.request.watched || metrics::is_default_cpu_time(metric)) continue;
    auto overview = make_overview(all, id);
    if (overview.columns.size() >= 2 && overview.candidates.size() >= 3)
      views.push_back(
          {id, both_times && metrics::is_kind(metric, metrics::MetricKind::wall_time) ? "time" : metric.name,
           std::move(overview)});
  }
  return views;
}

namespace {

std::string text_of(const Overview::Entry& entry, const Metric& metric) {
  if (entry.finding == nullptr) return entry.status ? to_string(*entry.status) : "";
  return effect_text(entry.finding->effect, metric.unit) + " " + sign_of(entry.finding->verdict);
}

}  // namespace

Overview make_overview(const Findings& all, MetricId metric, std::optional<WorkloadId> workload) {
  const auto column_of = [&](const Cell& cell) {
    return workload ? cell.setting.text() : cell_text(all, cell);
  };
  std::map<std::pair<Comparison, MetricId>, const Finding*> known;
  for (const auto& f : all.findings) known[{f.comparison, f.metric}] = &f;
  std::map<std::pair<CandidateId, std::string>, Overview::Entry> entries;
  std::set<CandidateId> shown;
  for (const auto& f : all.findings) {
    const auto& cell = all.candidate_cell(f);
    if (f.metric != metric || all.candidate(cell).twin_of || (workload && cell.workload != *workload))
      continue;
    entries[{cell.candidate, column_of(cell)}].finding =
        f.superseded_by ? known.at({f.comparison, *f.superseded_by}) : &f;
    shown.insert(cell.candidate);
  }
  Overview overview;
  if (entries.empty()) return overview;
  std::set<std::string> seen;
  for (const auto cell_id : all.design.cells.ids()) {
    const auto& cell = all.design.cells[cell_id];
    if (all.candidate(cell).twin_of || (workload && cell.workload != *workload)) continue;
    const auto column = column_of(cell);
    if (!all.statuses[cell_id].is_ok()) {
      entries[{cell.candidate, column}].status = all.statuses[cell_id].code;
      shown.insert(cell.candidate);
    }
    if (entries.contains({cell.candidate, column}) && seen.insert(column).second)
      overview.columns.push_back(column);
  }
  for (const auto id : shown) {
    overview.candidates.push_back(id);
    overview.names.push_back(all.design.candidates[id].name);
    auto& row = overview.rows.emplace_back();
    for (const auto& column : overview.columns) {
      const auto found = entries.find({id, column});
      row.push_back(found == entries.end() ? Overview::Entry{} : found->second);
      row.back().text = text_of(row.back(), all.design.metrics[metric]);
    }
  }
  return overview;
}

}  // namespace assay::report
