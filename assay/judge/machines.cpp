#include "assay/judge/machines.hpp"

#include <algorithm>
#include <cmath>
#include <iterator>
#include <map>
#include <utility>

#include "assay/stats/hodges_lehmann.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/multiple_testing.hpp"
#include "assay/stats/null_distribution.hpp"
#include "assay/stats/strata.hpp"

namespace assay::judge {
namespace {

/// Machines with fewer values say too little of whether they differ.
constexpr std::size_t fewest_tested = 4;
/// A machine's median of fewer values is no level.
constexpr std::size_t fewest_levelled = 3;

/// The place in a column of a side's first value of a round.
std::size_t first_of(std::size_t round, int repeats) { return round * static_cast<std::size_t>(repeats); }

double mean_of_round(const std::vector<double>& side, std::size_t round, int repeats, Scale scale) {
  double sum = 0;
  for (std::size_t i = first_of(round, repeats); i < first_of(round + 1, repeats); ++i)
    sum += transformed_value(scale, side[i]);
  return sum / repeats;
}

double median_of_round(const std::vector<double>& side, std::size_t round, int repeats, Scale scale) {
  return transformed_value(scale, stats::median(std::span(side).subspan(first_of(round, repeats),
                                                                        static_cast<std::size_t>(repeats))));
}

}  // namespace

void mark_machines(const Observations& evidence, PairedSeries& series) {
  series.machines.clear();
  series.main_machine = evidence.main_machine();
  if (!evidence.has_several_machines()) return;
  for (const int round : series.rounds) series.machines.push_back(evidence.machine_of_round(round));
  const auto other = [&](int machine) { return machine != series.machines.front(); };
  if (std::ranges::none_of(series.machines, other)) {
    if (!series.machines.empty()) series.main_machine = series.machines.front();
    series.machines.clear();
  } else if (std::ranges::find(series.machines, series.main_machine) == series.machines.end()) {
    series.main_machine = std::ranges::min(series.machines);
  }
}

PairedSeries on_one_level(const PairedSeries& series, std::size_t pairs, const Metric& metric) {
  auto first = series;
  const auto& repeats = series.replication;
  first.rounds.resize(pairs);
  first.baseline.resize(first_of(pairs, repeats.baseline));
  first.candidate.resize(first_of(pairs, repeats.candidate));
  first.machines.clear();
  if (series.machines.empty() || pairs == 0) return first;
  const double sign = metric.direction == Direction::higher ? -1 : 1;  // the quick side is the low one
  std::vector<double> middles(pairs);
  for (std::size_t i = 0; i < pairs; ++i)
    middles[i] = sign *
                 (mean_of_round(series.baseline, i, repeats.baseline, metric.scale) +
                  mean_of_round(series.candidate, i, repeats.candidate, metric.scale)) /
                 2;
  const auto excess =
      stats::excess_levels(middles, std::span(series.machines).first(pairs), series.main_machine);
  const auto lower = [&](std::vector<double>& side, int each) {
    for (std::size_t i = 0; i < side.size(); ++i) {
      const double by = excess[i / static_cast<std::size_t>(each)];
      if (by != 0)
        side[i] = Effect::from_transformed(metric.scale, transformed_value(metric.scale, side[i]) - sign * by)
                      .value;
    }
  };
  lower(first.baseline, repeats.baseline);
  lower(first.candidate, repeats.candidate);
  return first;
}

ValueColumn values_on_one_level(const Observations& evidence, MetricId id, Observations::Source from) {
  const auto& column = evidence.values(id, from);
  if (!evidence.has_several_machines()) return column;
  const auto scale = evidence.design.metrics[id].scale;
  std::map<CellId, std::map<int, std::vector<double>>> by_machine;
  for (std::size_t i = 0; i < column.size(); ++i)
    if (is_valid_value(scale, column.value[i]))
      by_machine[column.cell[i]][evidence.machine_of_round(column.round[i])].push_back(
          transformed_value(scale, column.value[i]));
  std::map<CellId, std::map<int, double>> excess;
  for (auto& [cell, machines] : by_machine) {
    std::erase_if(machines, [](const auto& its) { return its.second.size() < fewest_levelled; });
    if (machines.empty()) continue;
    const auto main = machines.find(evidence.main_machine());
    const double level = stats::median(main == machines.end() ? machines.begin()->second : main->second);
    for (const auto& [machine, values] : machines) excess[cell][machine] = stats::median(values) - level;
  }
  ValueColumn levelled;
  for (std::size_t i = 0; i < column.size(); ++i) {
    const auto& of_cell = excess[column.cell[i]];
    const auto its = of_cell.find(evidence.machine_of_round(column.round[i]));
    if (its == of_cell.end() || !is_valid_value(scale, column.value[i])) continue;
    levelled.add(
        column.cell[i], column.round[i], column.repeat[i], column.position[i],
        its->second == 0
            ? column.value[i]
            : Effect::from_transformed(scale, transformed_value(scale, column.value[i]) - its->second).value);
  }
  return levelled;
}

ValuesByCell cells_on_one_level(const Observations& evidence, MetricId metric) {
  if (!evidence.has_several_machines()) return evidence.by_cell(metric);
  return group_by_cell(values_on_one_level(evidence, metric));
}

MachineComparison::MachineComparison(const PairedSeries& series, std::size_t pairs, Scale scale) {
  if (series.machines.empty()) return;
  // Rounds of one layout are one independent value, on each machine.
  std::map<int, std::map<int, std::vector<double>>> values;
  std::map<int, std::size_t> rounds;
  const auto& repeats = series.replication;
  for (std::size_t i = 0; i < pairs; ++i) {
    const int place =
        repeats.layouts > 0 ? layout_of_round(series.rounds[i], repeats.layouts) : static_cast<int>(i);
    ++rounds[series.machines[i]];
    values[series.machines[i]][place].push_back(
        median_of_round(series.candidate, i, repeats.candidate, scale) -
        median_of_round(series.baseline, i, repeats.baseline, scale));
  }
  for (const auto& [machine, places] : values) {
    std::vector<double> changes;
    for (const auto& [place, of] : places) changes.push_back(stats::mean(of));
    const stats::WalshAverages averages(changes);
    MachineEffect effect{.machine = machine + 1,
                         .rounds = rounds[machine],
                         .effect = Effect::from_transformed(scale, averages.median()),
                         .interval = {}};
    if (const auto critical = stats::SignedRank(changes.size()).critical_count(0.05); critical > 0) {
      const auto bounds = averages.interval(critical);
      effect.interval = Interval{Effect::from_transformed(scale, bounds.low).value,
                                 Effect::from_transformed(scale, bounds.high).value, 0.95};
    }
    effect.is_compared = changes.size() >= fewest_tested;
    machines_.push_back(effect);
    if (!effect.is_compared) continue;
    tested_.values.insert(tested_.values.end(), changes.begin(), changes.end());
    tested_.machines.insert(tested_.machines.end(), changes.size(), machine);
  }
}

std::optional<double> MachineComparison::p() const {
  const auto& of = tested_.machines;
  if (of.empty() || of.front() == of.back()) return {};  // in the order of the machines
  if (!p_) {
    p_ = stats::welch_anova(tested_.values, of).p;
    constexpr double not_worth_more = 0.2;
    if (*p_ <= not_worth_more) p_ = std::max(*p_, stats::kruskal_wallis(tested_.values, of).p);
  }
  return p_;
}

bool MachineComparison::differ() const {
  const auto p = this->p();
  return p && *p <= machines_differ_at;
}

template <class Holds>
bool MachineComparison::any_effect(Holds&& holds) const {
  return std::ranges::any_of(
      machines_, [&](const MachineEffect& machine) { return machine.is_compared && holds(machine.effect); });
}

bool MachineComparison::disagree(double margin) const {
  const auto beyond = [&](double sign) {
    return any_effect([&](const Effect& effect) {
      return sign * effect.transformed() > transformed_margin(effect.scale, margin);
    });
  };
  return is_of_several() && beyond(1) && beyond(-1) && differ();
}

bool MachineComparison::one_is_beyond(double margin) const {
  return is_of_several() && any_effect([&](const Effect& effect) {
           return std::abs(effect.transformed()) > transformed_margin(effect.scale, margin);
         }) &&
         differ();
}

void describe_machines(const PairedSeries& series, const Metric& metric, Finding& finding) {
  if (series.machines.empty() || finding.rounds == 0) return;
  const MachineComparison compared(series, finding.rounds, metric.scale);
  finding.main_machine = series.main_machine + 1;
  if (!compared.is_of_several()) return;
  finding.machines = compared.machines();
  finding.machines_p = compared.p();
  if (!compared.disagree(finding.margin) &&
      !(finding.verdict == Verdict::same && compared.one_is_beyond(finding.margin)))
    return;
  finding.verdict = Verdict::unclear;
  finding.rounds_to_decide = RoundsToDecide{.obstacle = RoundsToDecide::Obstacle::machines_disagree};
}

std::pair<MachineEffect, MachineEffect> furthest_machines(const Finding& finding) {
  std::vector<MachineEffect> compared;
  std::ranges::copy_if(finding.machines, std::back_inserter(compared), &MachineEffect::is_compared);
  const auto [least, most] =
      std::ranges::minmax_element(compared, {}, [](const MachineEffect& m) { return m.effect.value; });
  return {*least, *most};
}

void note_unlike_machines(const Design& design, std::vector<Finding>& findings) {
  std::vector<Finding*> several;
  std::vector<double> p;
  for (auto& finding : findings) {
    if (!finding.machines_p || !design.metrics[finding.metric].request.watched) continue;
    several.push_back(&finding);
    p.push_back(*finding.machines_p);
  }
  const auto adjusted = stats::adjust_benjamini_hochberg(p);
  for (std::size_t i = 0; i < several.size(); ++i) {
    auto& finding = *several[i];
    if (adjusted[i] > machines_differ_at || design.is_twin(finding.comparison.candidate) ||
        finding.machines_disagree())
      continue;
    const auto [least, most] = furthest_machines(finding);
    finding.notes.push_back({.kind = NoteKind::machines_differ,
                             .subject = finding.comparison.candidate,
                             .metric = finding.metric,
                             .value = finding.machines_p,
                             .low = least.effect.value,
                             .high = most.effect.value});
  }
}

}  // namespace assay::judge
