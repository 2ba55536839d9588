#include "assay/judge/paired_series.hpp"

#include <algorithm>
#include <cstdlib>
#include <map>
#include <set>
#include <string>
#include <tuple>
#include <utility>
#include <vector>

#include "assay/judge/machines.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/schedule/order.hpp"
#include "assay/stats/location.hpp"

namespace assay::judge {

namespace {

bool is_a_time_of_runs(const Metric& metric) {
  return metrics::is_kind(metric, metrics::MetricKind::wall_time) ||
         metrics::is_kind(metric, metrics::MetricKind::cpu_time);
}

bool watches_both_times(const Design& design) {
  return std::ranges::count_if(design.metrics, [](const Metric& metric) {
           return metric.request.watched && is_a_time_of_runs(metric);
         }) > 1;
}

/// The rounds in which both cells have as many values as that, at least; no more are taken.
PairedSeries pairs_of(const Comparison& of, const ValuesByCell& cells, const Replication& repeats) {
  PairedSeries series{.comparison = of, .replication = repeats};
  const auto baseline = cells.find(of.baseline), candidate = cells.find(of.candidate);
  if (baseline == cells.end() || candidate == cells.end()) return series;
  const auto end_of_round = [](const RoundValues& values, RoundValues::const_iterator from) {
    return std::find_if(from, values.end(), [&](const auto& value) { return value.first != from->first; });
  };
  const auto take = [](RoundValues::const_iterator from, int count, std::vector<double>& into) {
    for (int i = 0; i < count; ++i) into.push_back((from++)->second);
  };
  auto its = baseline->second.begin(), mine = candidate->second.begin();
  while (its != baseline->second.end() && mine != candidate->second.end()) {
    const auto its_end = end_of_round(baseline->second, its), my_end = end_of_round(candidate->second, mine);
    if (its->first == mine->first && its_end - its >= repeats.baseline &&
        my_end - mine >= repeats.candidate) {
      series.rounds.push_back(its->first);
      take(its, repeats.baseline, series.baseline);
      take(mine, repeats.candidate, series.candidate);
    }
    const int round = std::min(its->first, mine->first);
    if (its->first == round) its = its_end;
    if (mine->first == round) mine = my_end;
  }
  return series;
}

}  // namespace

std::pair<std::vector<double>, std::vector<double>> layout_means(const PairedSeries& series,
                                                                 std::size_t pairs, Scale scale) {
  std::map<int, std::vector<std::size_t>> by_layout;
  for (std::size_t i = 0; i < pairs; ++i)
    by_layout[layout_of_round(series.rounds[i], series.replication.layouts)].push_back(i);
  const auto mean_of = [&](const std::vector<double>& values, const std::vector<std::size_t>& these) {
    double sum = 0;
    for (const auto i : these) sum += transformed_value(scale, values[i]);
    return Effect::from_transformed(scale, sum / static_cast<double>(these.size())).value;
  };
  std::pair<std::vector<double>, std::vector<double>> means;
  for (const auto& [layout, these] : by_layout) {
    means.first.push_back(mean_of(series.baseline, these));
    means.second.push_back(mean_of(series.candidate, these));
  }
  return means;
}

int metrics_moved_besides(const Design& design) {
  const auto count = std::ranges::count_if(design.metrics, [](const Metric& m) {
    const bool explains = m.supporting || m.direction == Direction::neither;
    return explains && !m.request.watched && m.subject == MetricSubject::work && m.request.missing.empty();
  });
  return std::max(static_cast<int>(count), 1);
}

bool all_valid(const PairedSeries& series, Scale scale) {
  const auto good = [scale](double value) { return is_valid_value(scale, value); };
  return std::ranges::all_of(series.baseline, good) && std::ranges::all_of(series.candidate, good);
}

schedule::LookSchedule looks_of(const Rules& rules, const Replication& repeats) {
  return {rules.rounds_min, rules.rounds_max, repeats};
}

int first_deciding_look(const Design& design, const Replication& repeats) {
  double rate = 0;
  for (const auto id : design.metrics.ids())
    if (design.metrics[id].request.watched && design.metrics[id].is_judged() && !design.metrics[id].exact)
      rate = std::max(rate, family_rules(design, id, {}).rate_of_changes());
  const auto looks = looks_of(design.rules, repeats);
  if (rate == 0) return looks.counts().front();
  const auto boundary = looks.boundary(rate);
  for (std::size_t k = 0; k < looks.counts().size(); ++k)
    if (boundary->critical_count(k) > 0) return looks.counts()[k];
  return looks.counts().back();
}

std::optional<LastLook> last_look(const Rules& rules, const PairedSeries& series) {
  const auto n = static_cast<int>(series.rounds.size());
  if (n == 0) return {};
  const auto looks = rules.rounds_max == 0 ? schedule::LookSchedule(n, n, series.replication)
                                           : looks_of(rules, series.replication);
  const auto place = looks.last_look_by(n);
  if (!place) return {};
  return LastLook{.boundary = looks.boundary(),
                  .place = *place,
                  .rounds = static_cast<std::size_t>(looks.counts()[*place])};
}

bool judges_wall_time(const Observations& evidence) {
  return std::ranges::any_of(evidence.design.comparisons, [&](const Comparison& of) {
    return evidence.is_ok(of) && evidence.way(of.candidate) != Way::abreast;
  });
}

TestFamily family_rules(const Design& design, MetricId id, std::span<const PairedSeries> series,
                        bool judges_wall_time) {
  const auto& metric = design.metrics[id];
  TestFamily family{.options = {.metric = metric, .margin = design.margin_of(id)},
                    .min_rounds = design.rules.rounds_min,
                    .max_rounds = design.rules.rounds_max};
  family.options.rest = metric.request.watched;
  family.options.single_runs =
      !metrics::noise_is_slow(metric) || std::ranges::none_of(design.metrics, metrics::is_of_many_calls);
  if (metric.supporting && !metric.request.watched)
    family.options.level = 1 - (1 - family.options.level) / metrics_moved_besides(design);
  if (judges_wall_time && watches_both_times(design) && is_a_time_of_runs(metric)) family.share = 0.5;
  if (family.max_rounds > 0) return family;
  for (const auto& s : series)
    family.max_rounds = std::max(family.max_rounds, static_cast<int>(s.rounds.size()));
  family.max_rounds = std::max(family.max_rounds, 1);
  family.min_rounds = family.max_rounds;
  return family;
}

double median_of_values(const RoundValues& rounds) { return stats::median(values_of(rounds)); }

PairedSeries make_pairs(const Comparison& of, const ValuesByCell& cells) { return pairs_of(of, cells, {}); }

PairedSeries make_pairs(const Observations& evidence, const Comparison& of, MetricId metric) {
  auto repeats = evidence.replication(of);
  if (!is_a_time_of_runs(evidence.design.metrics[metric])) repeats.baseline = repeats.candidate = 1;
  auto series = pairs_of(of, evidence.by_cell(metric), repeats);
  mark_timeouts(evidence, series);
  mark_machines(evidence, series);
  return series;
}

void mark_timeouts(const Observations& evidence, PairedSeries& series) {
  for (const auto cell : {series.comparison.baseline, series.comparison.candidate})
    for (const int round : evidence.of(cell).timed_out) {
      const auto at = std::ranges::lower_bound(series.rounds, round) - series.rounds.begin();
      series.in_time = std::min(series.in_time, static_cast<std::size_t>(at));
    }
}

PairedTest estimate_of(const PairedSeries& series, std::size_t pairs, PairedTestOptions question) {
  if (!series.machines.empty())
    return estimate_of(on_one_level(series, pairs, question.metric), pairs, question);
  question.no_clipping = question.no_clipping || pairs > series.in_time;
  if (series.replication.layouts > 0) {
    const auto [baseline, candidate] = layout_means(series, pairs, question.metric.scale);
    return {baseline, candidate, question};
  }
  question.replication = series.replication;
  const auto values_of = [&](const std::vector<double>& side, int repeats) {
    return std::span(side).first(pairs * static_cast<std::size_t>(repeats));
  };
  return {values_of(series.baseline, series.replication.baseline),
          values_of(series.candidate, series.replication.candidate), question};
}

double hardware_cores(const Observations& evidence, int machine) {
  for (const auto id : evidence.sessions().ids())
    if (const auto cores = evidence.sessions()[id].fact("cores");
        !cores.empty() && evidence.machine_of(id) == machine)
      return std::max(1.0, std::atof(cores.c_str()));
  return 1;
}

ValueColumn run_times(const Observations& evidence, Observations::Source from) {
  ValueColumn times;
  std::set<std::tuple<CellId, int, int>> with_wall_time;
  const auto take = [&](metrics::MetricKind kind) {
    const auto metric = metrics::find(evidence.design.metrics, kind);
    if (!metric) return;
    const auto& column = evidence.values(*metric, from);
    const bool is_wall = kind == metrics::MetricKind::wall_time;
    for (std::size_t i = 0; i < column.size(); ++i) {
      const std::tuple trial(column.cell[i], column.round[i], column.repeat[i]);
      if (is_wall)
        with_wall_time.insert(trial);
      else if (with_wall_time.contains(trial))
        continue;
      times.add(column.cell[i], column.round[i], column.repeat[i], column.position[i], column.value[i]);
    }
  };
  take(metrics::MetricKind::wall_time);
  take(metrics::MetricKind::cpu_time);
  return times;
}

ValuesByCell values_in_turns(const Observations& evidence, MetricId metric) {
  ValuesByCell values;
  for (const auto from : {Observations::Source::pilot, Observations::Source::control}) {
    const auto& column = evidence.values(metric, from);
    for (std::size_t i = 0; i < column.size(); ++i)
      if (column.position[i] >= 0 && evidence.way(column.cell[i]) != Way::turns)
        values[column.cell[i]].emplace_back(column.round[i], column.value[i]);
  }
  return values;
}

std::map<CellId, double> mean_trial_seconds(const Observations& evidence) {
  std::map<CellId, std::pair<double, int>> in_rounds, in_checks;
  const auto add = [&](Observations::Source from, auto& sums) {
    const auto column = run_times(evidence, from);
    for (std::size_t i = 0; i < column.size(); ++i) {
      auto& [sum, count] = sums[column.cell[i]];
      sum += column.value[i];
      ++count;
    }
  };
  using From = Observations::Source;
  for (const auto from : {From::judged, From::control, From::pilot, From::warm_up}) add(from, in_rounds);
  add(From::checked, in_checks);
  std::map<CellId, double> times;
  for (const auto* part : {&in_rounds, &in_checks})
    for (const auto& [cell, total] : *part)
      if (total.second > 0) times.try_emplace(cell, total.first / total.second);
  return times;
}

namespace {

std::map<CellId, double> least_costs(const Observations& evidence) {
  std::map<CellId, double> costs;
  const auto time = metrics::find(evidence.design.metrics, metrics::MetricKind::wall_time);
  if (!time) return costs;
  for (const auto from : {Observations::Source::checked, Observations::Source::warm_up}) {
    const auto& column = evidence.values(*time, from);
    for (std::size_t i = 0; i < column.size(); ++i) {
      const auto [cost, fresh] = costs.try_emplace(column.cell[i], column.value[i]);
      if (!fresh) cost->second = std::min(cost->second, column.value[i]);
    }
  }
  return costs;
}

}  // namespace

IdTable<CellId, int> plan_repeats(const Observations& evidence,
                                  const std::function<bool(CellId)>& may_repeat) {
  const auto& design = evidence.design;
  IdTable<CellId, int> slots(design.cells.size(), 1);
  if (evidence.has_judged_rounds()) {
    for (const auto cell : design.cells.ids()) slots[cell] = evidence.repeats(cell);
    return slots;
  }
  const auto costs = least_costs(evidence);
  std::map<std::pair<WorkloadId, std::string>, std::vector<CellId>> places;
  for (const auto cell : design.cells.ids()) {
    const auto known = costs.find(cell);
    if (!evidence.is_ok(cell) || design.is_twin(cell) || known == costs.end() || !(known->second > 0))
      continue;
    if (may_repeat(cell))
      places[{design.cells[cell].workload, design.cells[cell].setting.text()}].push_back(cell);
  }
  for (const auto& [place, cells] : places) {
    std::vector<double> cost;
    std::vector<int> comparisons;
    for (const auto cell : cells) {
      cost.push_back(costs.at(cell));
      comparisons.push_back(
          static_cast<int>(std::ranges::count_if(design.comparisons, [&](const Comparison& of) {
            return !design.is_twin(of.candidate) && (of.baseline == cell || of.candidate == cell);
          })));
    }
    const auto planned = schedule::repeats_by_cost(cost, comparisons);
    for (std::size_t i = 0; i < cells.size(); ++i) slots[cells[i]] = planned[i];
  }
  for (const auto& comparison : design.comparisons)
    if (design.is_twin(comparison.candidate)) slots[comparison.candidate] = slots[comparison.baseline];
  return slots;
}

}  // namespace assay::judge
