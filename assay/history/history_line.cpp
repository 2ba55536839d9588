#include "assay/history/history_line.hpp"

#include <algorithm>
#include <cmath>
#include <optional>
#include <set>
#include <utility>
#include <vector>

#include "assay/stats/location.hpp"

namespace assay::history {

namespace {

using stats::Segment;

Segment segment(std::span<const double> values, std::size_t first, std::size_t end) {
  return {first, end, stats::median(values.subspan(first, end - first))};
}

/// Where a level is better cut once more; empty: nowhere.
std::optional<std::size_t> cut_by_ranks(std::span<const double> values, const Segment& level) {
  constexpr std::size_t fewest = 8;
  constexpr double chance = 0.05;
  if (level.end - level.first < fewest) return {};
  const auto change = stats::pettitt_test(values.subspan(level.first, level.end - level.first));
  if (change.p > chance || change.after == 0) return {};
  return level.first + change.after;
}

/// Where the newest values of the last level begin to lie off; empty: nowhere.
std::optional<std::size_t> cut_of_newest(std::span<const double> values, const Segment& level) {
  constexpr std::size_t fewest_before = 5, most_newest = 15;
  constexpr double errors = 3;
  std::optional<std::size_t> best;
  double most = errors;
  for (std::size_t newest = 1; newest <= most_newest && level.end - level.first >= newest + fewest_before;
       ++newest) {
    const auto before = values.subspan(level.first, level.end - level.first - newest);
    const auto after = values.subspan(level.end - newest, newest);
    const double spread = std::max(stats::median_absolute_deviation(before), 1e-9);
    const auto m = static_cast<double>(before.size()), n = static_cast<double>(newest);
    const double off =
        std::fabs(stats::median(after) - stats::median(before)) / (spread * std::sqrt(1 / m + 1 / n));
    if (off <= most) continue;
    most = off;
    best = level.end - newest;
  }
  return best;
}

/// Adds a level to `levels`, cut as often as ranks or the newest values speak for it.
void cut_further(std::span<const double> values, const Segment& level, std::vector<Segment>& levels) {
  auto cut = cut_by_ranks(values, level);
  if (!cut && level.end == values.size()) cut = cut_of_newest(values, level);
  if (!cut) {
    levels.push_back(level);
    return;
  }
  cut_further(values, segment(values, level.first, *cut), levels);
  cut_further(values, segment(values, *cut, level.end), levels);
}

double cost_at(std::span<const double> values, const Segment& left, const Segment& right, std::size_t cut) {
  double cost = 0;
  for (auto i = left.first; i < right.end; ++i)
    cost += std::fabs(values[i] - (i < cut ? left.level : right.level));
  return cost;
}

/// Puts each border where absolute deviations from both levels are least. A partition whose loss is bounded
/// does not care on which side it leaves a value that is far from both.
void settle_borders(std::span<const double> values, std::vector<Segment>& levels) {
  for (std::size_t i = 0; i + 1 < levels.size(); ++i) {
    const auto left = levels[i], right = levels[i + 1];
    auto best = right.first;
    for (auto cut = left.first + 1; cut < right.end; ++cut)
      if (cost_at(values, left, right, cut) < cost_at(values, left, right, best)) best = cut;
    if (best == right.first) continue;
    levels[i] = segment(values, left.first, best);
    levels[i + 1] = segment(values, best, right.end);
  }
}

double mean_deviation(std::span<const double> values, const std::vector<Segment>& levels) {
  double sum = 0;
  for (const auto& level : levels)
    for (auto i = level.first; i < level.end; ++i) sum += std::fabs(values[i] - level.level);
  return std::max(sum / static_cast<double>(values.size()), 1e-9);
}

}  // namespace

ChangePoints find_change_points(std::span<const double> values, double least) {
  ChangePoints found;
  std::vector<Segment> levels;
  for (const auto& level : stats::multiscale_segments(values))
    for (auto part : stats::optimal_partition(values.subspan(level.first, level.end - level.first)))
      cut_further(values, {part.first + level.first, part.end + level.first, part.level}, levels);
  for (const auto& level : levels) {
    if (!found.levels.empty() && std::fabs(level.level - found.levels.back().level) < least)
      found.levels.back() = segment(values, found.levels.back().first, level.end);
    else
      found.levels.push_back(level);
  }
  if (values.empty()) return found;
  settle_borders(values, found.levels);
  const double width = mean_deviation(values, found.levels);
  constexpr double far = 3;  // of the log-likelihood
  for (std::size_t i = 0; i + 1 < found.levels.size(); ++i) {
    const auto &left = found.levels[i], &right = found.levels[i + 1];
    const double best = cost_at(values, left, right, right.first);
    auto low = right.first, high = right.first;
    for (auto cut = right.first; cut-- > left.first + 1;)
      if ((cost_at(values, left, right, cut) - best) / width < far) low = cut;
    for (auto cut = right.first + 1; cut < right.end; ++cut)
      if ((cost_at(values, left, right, cut) - best) / width < far) high = cut;
    found.steps.push_back({low - 1, high, right.level - left.level});
  }
  return found;
}

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
