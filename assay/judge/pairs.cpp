#include "assay/judge/pairs.hpp"

#include <algorithm>
#include <cstdlib>

namespace assay::inline v1::judge {
namespace {

/// The supporting metrics that are measured: they divide the error rate of one among them.
int supporting_metrics(const Design& design) {
  const auto count = std::ranges::count_if(design.metrics, [](const Metric& m) {
    return m.supporting && !m.demand.watched && m.is_judged() && m.demand.missing.empty();
  });
  return std::max(static_cast<int>(count), 1);
}

}  // namespace

bool all_fit(const PairedSeries& series, Scale scale) {
  const auto good = [scale](double value) { return fits(scale, value); };
  return std::ranges::all_of(series.baseline, good) && std::ranges::all_of(series.candidate, good);
}

schedule::LookPlan looks_of(const Rules& rules) { return {rules.rounds_min, rules.rounds_max}; }

std::optional<LastLook> last_look(const Rules& rules, std::size_t pairs) {
  const auto n = static_cast<int>(pairs);
  if (n == 0) return {};
  const auto looks = rules.rounds_max == 0 ? schedule::LookPlan(n, n) : looks_of(rules);
  const auto place = looks.last_by(n);
  if (!place) return {};
  return LastLook{.boundary = schedule::boundary_for({looks.counts().begin(), looks.counts().end()}),
                  .place = *place,
                  .rounds = static_cast<std::size_t>(looks.counts()[*place])};
}

Family rules_for(const Design& design, MetricId id, std::span<const PairedSeries> series) {
  const auto& metric = design.metrics[id];
  Family family{.question = {.metric = metric, .margin = design.margin_of(id)},
                .min_rounds = design.rules.rounds_min,
                .max_rounds = design.rules.rounds_max};
  if (metric.supporting && !metric.demand.watched)
    family.question.level = 1 - (1 - family.question.level) / supporting_metrics(design);
  if (family.max_rounds > 0) return family;
  for (const auto& s : series)
    family.max_rounds = std::max(family.max_rounds, static_cast<int>(s.rounds.size()));
  family.max_rounds = std::max(family.max_rounds, 1);
  family.min_rounds = family.max_rounds;
  return family;
}

ByCell by_cell(const Column& values) {
  ByCell cells;
  auto at = cells.end();
  for (std::size_t i = 0; i < values.size(); ++i) {
    if (at == cells.end() || at->first != values.cell[i]) at = cells.try_emplace(values.cell[i]).first;
    at->second.emplace_back(values.round[i], values.value[i]);
  }
  for (auto& [cell, rounds] : cells) {
    if (!std::ranges::is_sorted(rounds, {}, &RoundValues::value_type::first))
      std::ranges::stable_sort(rounds, {}, &RoundValues::value_type::first);
    const auto repeats = std::ranges::unique(rounds, {}, &RoundValues::value_type::first);
    rounds.erase(repeats.begin(), repeats.end());
  }
  return cells;
}

PairedSeries pair_up(const Contrast& of, const ByCell& cells) {
  PairedSeries series{.of = of};
  const auto baseline = cells.find(of.baseline), candidate = cells.find(of.candidate);
  if (baseline == cells.end() || candidate == cells.end()) return series;
  auto partner = baseline->second.begin();
  for (const auto& [round, value] : candidate->second) {
    while (partner != baseline->second.end() && partner->first < round) ++partner;
    if (partner == baseline->second.end()) break;
    if (partner->first != round) continue;
    series.rounds.push_back(round);
    series.baseline.push_back(partner->second);
    series.candidate.push_back(value);
  }
  return series;
}

PairedSeries pair_up(const Evidence& evidence, const Contrast& of, const ByCell& values) {
  auto series = pair_up(of, values);
  for (const auto cell : {of.baseline, of.candidate})
    for (const int round : evidence.of(cell).timed_out) {
      const auto at = std::ranges::lower_bound(series.rounds, round) - series.rounds.begin();
      series.in_time = std::min(series.in_time, static_cast<std::size_t>(at));
    }
  return series;
}

Estimate estimate_of(const PairedSeries& series, std::size_t pairs, Question question) {
  question.all_runs = pairs > series.in_time;
  return {std::span(series.baseline).first(pairs), std::span(series.candidate).first(pairs), question};
}

double cores_of(const Evidence& evidence) {
  for (const auto& sitting : evidence.sittings())
    if (const auto cores = sitting.fact("cores"); !cores.empty())
      return std::max(1.0, std::atof(cores.c_str()));
  return 1;
}

}  // namespace assay::inline v1::judge
