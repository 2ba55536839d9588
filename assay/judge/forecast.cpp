#include "assay/judge/forecast.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <utility>
#include <vector>

#include "assay/judge/paired_series.hpp"
#include "assay/judge/paired_test.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/model/plan.hpp"
#include "assay/schedule/forecast.hpp"
#include "assay/schedule/interim_looks.hpp"
#include "assay/stats/random.hpp"

namespace assay::judge {

namespace {

constexpr std::size_t fewest_pilots = 3;

Range as_change(const schedule::RoundsForecast& log_ratio) {
  return {std::expm1(log_ratio.typical), std::expm1(log_ratio.low), std::expm1(log_ratio.high)};
}

ComparisonForecast forecast_comparison(const PairedSeries& series, MetricId metric, const TestFamily& family,
                                       std::size_t rounds, std::size_t findings) {
  const double margin = family.options.margin;
  ComparisonForecast prospect{.comparison = series.comparison, .metric = metric, .margin = margin};
  std::vector<double> effects;
  for (std::size_t i = 0; i < series.rounds.size(); ++i)
    effects.push_back(transformed_effect(Scale::ratio, series.baseline[i], series.candidate[i]));
  if (std::ranges::all_of(effects, [&](double e) { return e == effects.front(); })) {
    prospect.change = Range{};
    return prospect;
  }
  if (const auto change = schedule::smallest_change(
          effects, rounds, {.alpha = family.rate_of_changes(), .findings = findings}))
    prospect.change = as_change(*change);
  const auto same = schedule::rounds_to_say_same(effects, std::log1p(margin), {.findings = findings});
  const double least = family.options.single_runs ? rounds_that_show_slow_runs : 0;
  prospect.rounds_to_same =
      Range{std::max(same.typical, least), std::max(same.low, least), std::max(same.high, least)};
  constexpr double likely = 0.8;
  if (const auto within =
          schedule::margin_to_say_same(effects, rounds, {.power = likely, .findings = findings}))
    prospect.margin_to_call_same = as_change(*within);
  return prospect;
}

}  // namespace

Forecast make_forecast(const Observations& evidence, Observations::Source pilots,
                       std::optional<double> budget, const IdTable<CellId, int>& slots,
                       const IdTable<CellId, double>& pauses) {
  const auto& design = evidence.design;
  const bool is_open = design.rules.rounds_max >= PlannedRounds::open_end;
  Forecast outlook{.rounds_min = design.rules.rounds_min,
                   .rounds_max = is_open ? 0 : design.rules.rounds_max,
                   .rounds = design.rules.rounds_max,
                   .budget = budget};
  const auto times = mean_trial_seconds(evidence);
  std::vector<Comparison> open;
  std::map<CellId, double> in_round;
  for (const auto& comparison : design.comparisons) {
    if (!evidence.is_ok(comparison)) continue;
    if (!design.is_twin(comparison.candidate)) open.push_back(comparison);
    for (const auto cell : {comparison.baseline, comparison.candidate}) {
      const auto time = times.find(cell);
      in_round[cell] = time == times.end() ? 0 : (time->second + pauses[cell]) * slots[cell];
    }
    if (design.rules.rounds_max == 0 || design.is_twin(comparison.candidate)) continue;
    const int first = first_deciding_look(design, {slots[comparison.baseline], slots[comparison.candidate]});
    outlook.first_look = outlook.first_look == 0 ? first : std::min(outlook.first_look, first);
  }
  outlook.comparisons = open.size();
  outlook.cells = in_round.size();
  constexpr double share_of_rounds_with_twins = 0.25;
  for (const auto& [cell, seconds] : in_round) {
    outlook.round_seconds += design.is_twin(cell) ? share_of_rounds_with_twins * seconds : seconds;
    if (!design.is_twin(cell)) continue;
    ++outlook.twins;
    outlook.twin_seconds += share_of_rounds_with_twins * seconds;
  }
  const auto fitting = [&](double seconds) {  // the warm-up takes one of them
    if (!(outlook.round_seconds > 0)) return PlannedRounds::most_rounds;
    return std::max(0, static_cast<int>(std::min(seconds / outlook.round_seconds, 1e6)) - 1);
  };
  if (budget)
    outlook.rounds = std::min(fitting(*budget), outlook.rounds);
  else if (is_open)
    outlook.rounds = std::max(PlannedRounds::most_rounds,
                              fitting(PlannedRounds::seconds_each * static_cast<double>(open.size())));
  for (const auto id : design.metrics.ids()) {
    const auto& metric = design.metrics[id];
    if (!metric.request.watched || metric.scale == Scale::difference || metric.exact) continue;
    const auto& cells = evidence.by_cell(id, pilots);
    for (const auto& comparison : open) {
      if (metrics::is_default_cpu_time(metric) && evidence.way(comparison.candidate) != Way::abreast)
        continue;
      const auto series = make_pairs(comparison, cells);
      const int independent =
          Replication{.layouts = layouts_of(design, comparison)}.independent_values(outlook.rounds);
      if (series.rounds.size() >= fewest_pilots && all_valid(series, metric.scale))
        outlook.forecasts.push_back(
            forecast_comparison(series, id, family_rules(design, id, {}, judges_wall_time(evidence)),
                                static_cast<std::size_t>(independent), open.size()));
    }
  }
  return outlook;
}

namespace {

constexpr int continuations = 20, many_continuations = 60;
constexpr std::size_t fewest_to_draw_from = 4;

void append_round(const std::vector<double>& values, std::size_t round, int repeats,
                  std::vector<double>& into) {
  const auto from = values.begin() + static_cast<std::ptrdiff_t>(round) * repeats;
  into.insert(into.end(), from, from + repeats);
}

/// How many of the continuations come to what is asked; no more are made once `needed` do, or can't any more.
int come_to(const PairedTest& estimate, std::size_t rounds, const IsEnough& enough, int all, int needed) {
  const auto n = estimate.n();
  const auto& repeats = estimate.per_round();
  if (n < fewest_to_draw_from) return 0;
  const auto &a = estimate.baseline_values(), &b = estimate.candidate_values();
  const double shift = estimate.shift();
  stats::Random random(rounds, n);
  int come = 0;
  for (int draw = 0; draw < all && come < needed && come + all - draw >= needed; ++draw) {
    auto x = a, y = b;
    for (auto have = n; have < rounds; ++have) {
      const auto r = random.below(n);
      if (repeats.is_replicated()) {
        append_round(a, r, repeats.baseline, x);
        append_round(b, r, repeats.candidate, y);
        continue;
      }
      double mine = a[r], its = b[r] - shift;
      if (random.below(2) == 0) std::swap(mine, its);
      x.push_back(mine);
      y.push_back(its + shift);
    }
    come += enough(estimate.of_rounds(x, y)) ? 1 : 0;
  }
  return come;
}

}  // namespace

double chance_of(const PairedTest& estimate, std::size_t rounds, const IsEnough& enough) {
  return static_cast<double>(come_to(estimate, rounds, enough, continuations, continuations)) / continuations;
}

bool can_come_to(const PairedTest& estimate, std::size_t rounds, const IsEnough& enough) {
  return come_to(estimate, rounds, enough, many_continuations, 1) > 0;
}

RoundsToDecide rounds_needed(const PairedTest& estimate, int min_rounds, double changed, double same) {
  constexpr int longest = 480, half = continuations / 2;
  if (estimate.n() < fewest_to_draw_from) return {.obstacle = RoundsToDecide::Obstacle::too_few_rounds};
  auto looks = schedule::planned_looks(std::min(min_rounds, longest), longest);
  std::erase_if(looks, [n = static_cast<int>(estimate.n())](int look) { return look <= n; });
  const auto likely = [&](int rounds) {
    const schedule::LookSchedule plan(min_rounds, rounds, estimate.repeats());
    const auto last = plan.counts().size() - 1;
    const auto c_changed = plan.boundary(changed)->critical_count(last),
               c_same = plan.boundary(same)->critical_count(last);
    const auto is_settled = [&](const PairedTest& e) { return e.would_decide(c_changed, c_same); };
    return come_to(estimate, static_cast<std::size_t>(rounds), is_settled, continuations, half) >= half;
  };
  const auto first = std::ranges::partition_point(looks, [&](int look) { return !likely(look); });
  if (first != looks.end()) return {.rounds = *first};
  const auto critical =
      schedule::null_distribution(static_cast<int>(estimate.n()), estimate.repeats()).critical_count(changed);
  auto price = estimate.price(critical);
  if (price.rounds > 0 && !looks.empty()) price.rounds = std::max(price.rounds, looks.back());
  return price;
}

}  // namespace assay::judge
