#include "assay/history/history_line.hpp"

#include <algorithm>
#include <cmath>
#include <set>
#include <utility>
#include <vector>

#include "assay/history/change_points.hpp"
#include "assay/stats/inverse_variance.hpp"

namespace assay::history {
namespace {

/// A value on the tests' scale with its half-width.
struct Measured {
  double value = 0, half = 0;
};

Measured measured(const MeasuredValue& value) {
  const auto at = [&](double x) { return Effect{value.effect.scale, x}.transformed(); };
  const double low = at(value.interval.low), high = at(value.interval.high);
  constexpr double unknown = 1;  // an interval without an end tells little
  const double half = std::isfinite(low) && std::isfinite(high) ? (high - low) / 2 : unknown;
  return {at(value.effect.value), std::max(half, 1e-9)};
}

constexpr double quantile = 1.96;  // half-widths are of 95 %
constexpr double level_of_intervals = 0.95;

/// Values of one commit as one.
stats::InverseVarianceMean join(const std::vector<const MeasuredValue*>& values) {
  std::vector<double> at, errors;
  for (const auto* value : values) {
    const auto [middle, half] = measured(*value);
    at.push_back(middle);
    errors.push_back(half / quantile);
  }
  return stats::inverse_variance_mean(at, errors);
}

struct EraValues {
  std::map<std::size_t, std::vector<const MeasuredValue*>> by_place;
  std::int64_t newest = 0;
  std::string machine;
};

HistoryPoint point_of(std::size_t place, const std::vector<const MeasuredValue*>& values, double shift,
                      double shift_half) {
  HistoryPoint point{.commit_index = place, .campaigns = values.size()};
  for (const auto* value : values) point.rounds += value->rounds;
  const auto joined = join(values);
  const auto scale = values.front()->effect.scale;
  const auto bounds = joined.interval(level_of_intervals);
  const double half = std::hypot((bounds.high - bounds.low) / 2, shift_half);
  point.effect = Effect::from_transformed(scale, joined.value + shift);
  point.interval = {.low = Effect::from_transformed(scale, joined.value + shift - half).value,
                    .high = Effect::from_transformed(scale, joined.value + shift + half).value};
  point.heterogeneous = joined.alike.p < 0.01;
  return point;
}

/// By how much an era's values have to be moved to stand in another, from the commits that both have.
struct Shift {
  double value = 0, half = 0;
  std::size_t anchors = 0;
};

Shift shift_between(const EraValues& from, const EraValues& to) {
  std::vector<double> differences, errors;
  for (const auto& [place, values] : from.by_place) {
    const auto there = to.by_place.find(place);
    if (there == to.by_place.end()) continue;
    const auto a = join(values), b = join(there->second);
    differences.push_back(b.value - a.value);
    errors.push_back(std::max(std::hypot(a.standard_error, b.standard_error), 1e-9));
  }
  if (differences.empty()) return {};
  const auto all = stats::inverse_variance_mean(differences, errors);
  const auto bounds = all.interval(level_of_intervals);
  return {all.value, (bounds.high - bounds.low) / 2, differences.size()};
}

}  // namespace

HistoryLevel level_of(const HistoryLine& line, std::size_t first, std::size_t end) {
  std::vector<double> values, errors;
  for (auto at = first; at < end; ++at) {
    const auto& point = line.points[at];
    values.push_back(point.effect.transformed());
    errors.push_back(std::max(half_width(point.effect.scale, point.interval) / quantile, 1e-9));
  }
  const auto all = stats::inverse_variance_mean(values, errors);
  const auto bounds = all.interval(level_of_intervals);
  const auto shown = [&](double x) { return Effect::from_transformed(line.metric.scale, x); };
  return {.first = first,
          .end = end,
          .level = shown(all.value),
          .interval = {shown(bounds.low).value, shown(bounds.high).value, level_of_intervals}};
}

HistoryLine make_line(const MeasuredValues& archive, const SeriesKey& where, const std::string& definition,
                      const std::map<std::string, std::size_t>& places, std::string era, double margin) {
  HistoryLine line{.workload = where.workload, .setting = where.setting};
  if (const auto metric = archive.metrics.find(where.metric); metric != archive.metrics.end())
    line.metric = metric->second;
  std::map<std::string, EraValues> eras;
  std::set<std::size_t> other_work;
  for (const auto& value : archive.values) {
    const auto place = places.find(value.commit);
    if (place == places.end() || !(value.where == where) || !std::isfinite(value.effect.transformed()))
      continue;
    if (value.definition != definition) {
      other_work.insert(place->second);
      continue;
    }
    auto& of = eras[value.environment];
    of.by_place[place->second].push_back(&value);
    of.newest = std::max(of.newest, value.started);
    of.machine = value.machine;
  }
  if (!other_work.empty())
    line.breaks.push_back({.kind = HistoryBreak::Kind::definition, .commits = other_work.size()});
  if (eras.empty()) return line;
  if (!eras.contains(era))
    era = std::ranges::max_element(eras, {}, [](const auto& e) { return e.second.newest; })->first;
  const auto& home = eras.at(era);
  std::map<std::size_t, HistoryPoint> points;
  for (const auto& [place, values] : home.by_place) points[place] = point_of(place, values, 0, 0);
  for (const auto& [name, other] : eras) {
    if (name == era) continue;
    const auto shift = shift_between(other, home);
    HistoryBreak change{
        .kind = other.machine != home.machine ? HistoryBreak::Kind::machine : HistoryBreak::Kind::reference,
        .commits = other.by_place.size(),
        .overlapping_commits = shift.anchors};
    if (shift.anchors > 0)
      change.shift =
          Effect::from_transformed(other.by_place.begin()->second.front()->effect.scale, shift.value);
    line.breaks.push_back(change);
    if (shift.anchors == 0) continue;  // they can't stand on this line
    for (const auto& [place, values] : other.by_place) {
      if (points.contains(place)) continue;
      points[place] = point_of(place, values, shift.value, shift.half);
      points[place].shifted = true;
    }
  }
  std::vector<double> values;
  for (auto& [place, point] : points) {
    values.push_back(point.effect.transformed());
    line.points.push_back(point);
  }
  const auto scale = line.metric.scale;
  const auto proposals = find_change_points(values, transformed_margin(scale, margin));
  for (const auto& level : proposals.levels) line.levels.push_back(level_of(line, level.first, level.end));
  for (const auto& step : proposals.steps)
    line.steps.push_back(
        {.before = step.before, .after = step.after, .effect = Effect::from_transformed(scale, step.change)});
  return line;
}

void merge_levels(HistoryLine& line) {
  std::vector<HistoryLevel> joined;
  for (std::size_t i = 0; i < line.levels.size(); ++i) {
    if (i == 0 || line.steps[i - 1].status != HistoryStep::Status::refuted) {
      joined.push_back(line.levels[i]);
      continue;
    }
    joined.back() = level_of(line, joined.back().first, line.levels[i].end);
  }
  line.levels = std::move(joined);
}

}  // namespace assay::history
