#include "assay/judge/pairs.hpp"

#include <algorithm>
#include <cstdlib>
#include <map>

#include "assay/metrics/catalogue.hpp"
#include "assay/stats/location.hpp"

namespace assay::inline v1::judge {
namespace {

bool is_a_time_of_runs(const Metric& metric) {
  return metrics::is(metric, metrics::Known::wall_time) || metrics::is(metric, metrics::Known::cpu_time);
}

bool watches_both_times(const Design& design) {
  return std::ranges::count_if(design.metrics, [](const Metric& metric) {
           return metric.demand.watched && is_a_time_of_runs(metric);
         }) > 1;
}

/// The rounds in which both cells have as many values as that, at least; no more are taken.
PairedSeries pairs_of(const Contrast& of, const ByCell& cells, const Repeats& repeats) {
  PairedSeries series{.of = of, .repeats = repeats};
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
    by_layout[layout_of_round(series.rounds[i], series.repeats.layouts)].push_back(i);
  const auto mean_of = [&](const std::vector<double>& values, const std::vector<std::size_t>& these) {
    double sum = 0;
    for (const auto i : these) sum += value_on_test_scale(scale, values[i]);
    return Effect::of_test_scale(scale, sum / static_cast<double>(these.size())).value;
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
    const bool explains = m.supporting || m.prefer == Prefer::neither;
    return explains && !m.demand.watched && m.about == About::work && m.demand.missing.empty();
  });
  return std::max(static_cast<int>(count), 1);
}

bool all_fit(const PairedSeries& series, Scale scale) {
  const auto good = [scale](double value) { return fits(scale, value); };
  return std::ranges::all_of(series.baseline, good) && std::ranges::all_of(series.candidate, good);
}

schedule::LookPlan looks_of(const Rules& rules, const Repeats& repeats) {
  return {rules.rounds_min, rules.rounds_max, repeats};
}

int first_deciding_look(const Design& design, const Repeats& repeats) {
  double rate = 0;
  for (const auto id : design.metrics.ids())
    if (design.metrics[id].demand.watched && design.metrics[id].is_judged() && !design.metrics[id].exact)
      rate = std::max(rate, rules_for(design, id, {}).rate_of_changes());
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
  const auto looks =
      rules.rounds_max == 0 ? schedule::LookPlan(n, n, series.repeats) : looks_of(rules, series.repeats);
  const auto place = looks.last_by(n);
  if (!place) return {};
  return LastLook{.boundary = looks.boundary(),
                  .place = *place,
                  .rounds = static_cast<std::size_t>(looks.counts()[*place])};
}

Family rules_for(const Design& design, MetricId id, std::span<const PairedSeries> series) {
  const auto& metric = design.metrics[id];
  Family family{.question = {.metric = metric, .margin = design.margin_of(id)},
                .min_rounds = design.rules.rounds_min,
                .max_rounds = design.rules.rounds_max};
  family.question.rest = metric.demand.watched;
  family.question.single_runs =
      !metrics::noise_is_slow(metric) || std::ranges::none_of(design.metrics, metrics::is_of_many_calls);
  if (metric.supporting && !metric.demand.watched)
    family.question.level = 1 - (1 - family.question.level) / metrics_moved_besides(design);
  if (watches_both_times(design) && is_a_time_of_runs(metric)) family.share = 0.5;
  if (family.max_rounds > 0) return family;
  for (const auto& s : series)
    family.max_rounds = std::max(family.max_rounds, static_cast<int>(s.rounds.size()));
  family.max_rounds = std::max(family.max_rounds, 1);
  family.min_rounds = family.max_rounds;
  return family;
}

double typical(const RoundValues& rounds) {
  std::vector<double> values;
  values.reserve(rounds.size());
  for (const auto& [round, value] : rounds) values.push_back(value);
  return stats::median(values);
}

ByCell by_cell(const Column& values) {
  ByCell cells;
  auto at = cells.end();
  for (std::size_t i = 0; i < values.size(); ++i) {
    if (at == cells.end() || at->first != values.cell[i]) at = cells.try_emplace(values.cell[i]).first;
    at->second.emplace_back(values.round[i], values.value[i]);
  }
  for (auto& [cell, rounds] : cells)
    if (!std::ranges::is_sorted(rounds, {}, &RoundValues::value_type::first))
      std::ranges::stable_sort(rounds, {}, &RoundValues::value_type::first);
  return cells;
}

PairedSeries pair_up(const Contrast& of, const ByCell& cells) { return pairs_of(of, cells, {}); }

PairedSeries pair_up(const Evidence& evidence, const Contrast& of, MetricId metric, const ByCell& values) {
  auto repeats = evidence.repeats(of);
  if (!is_a_time_of_runs(evidence.design.metrics[metric])) repeats.baseline = repeats.candidate = 1;
  auto series = pairs_of(of, values, repeats);
  mark_time_limits(evidence, series);
  return series;
}

void mark_time_limits(const Evidence& evidence, PairedSeries& series) {
  for (const auto cell : {series.of.baseline, series.of.candidate})
    for (const int round : evidence.of(cell).timed_out) {
      const auto at = std::ranges::lower_bound(series.rounds, round) - series.rounds.begin();
      series.in_time = std::min(series.in_time, static_cast<std::size_t>(at));
    }
}

Estimate estimate_of(const PairedSeries& series, std::size_t pairs, Question question) {
  question.all_runs = question.all_runs || pairs > series.in_time;
  if (series.repeats.layouts > 0) {
    const auto [baseline, candidate] = layout_means(series, pairs, question.metric.scale);
    return {baseline, candidate, question};
  }
  question.repeats = series.repeats;
  const auto values_of = [&](const std::vector<double>& side, int repeats) {
    return std::span(side).first(pairs * static_cast<std::size_t>(repeats));
  };
  return {values_of(series.baseline, series.repeats.baseline),
          values_of(series.candidate, series.repeats.candidate), question};
}

double cores_of(const Evidence& evidence) {
  for (const auto& sitting : evidence.sittings())
    if (const auto cores = sitting.fact("cores"); !cores.empty())
      return std::max(1.0, std::atof(cores.c_str()));
  return 1;
}

}  // namespace assay::inline v1::judge
