#include "assay/history/line_of.hpp"

#include <algorithm>
#include <cmath>
#include <set>
#include <utility>
#include <vector>

#include "assay/history/proposals.hpp"
#include "assay/stats/location.hpp"

namespace assay::inline v1::history {
namespace {

/// A value on the tests' scale with its half-width.
struct Measured {
  double value = 0, half = 0;
};

Measured measured(const ArchivedValue& value) {
  const auto at = [&](double x) { return Effect{value.effect.scale, x}.on_test_scale(); };
  const double low = at(value.interval.low), high = at(value.interval.high);
  constexpr double unknown = 1;  // an interval without an end tells little
  const double half = std::isfinite(low) && std::isfinite(high) ? (high - low) / 2 : unknown;
  return {at(value.effect.value), std::max(half, 1e-9)};
}

/// The mean, weighted by precision, and whether the values differ by more than their widths explain (Cochran
/// 1954).
struct Joined {
  Measured mean;
  bool heterogeneous = false;
};

Joined join(const std::vector<Measured>& values) {
  constexpr double quantile = 1.96;  // half-widths are of 95 %
  double weights = 0, sum = 0, q = 0;
  for (const auto& [value, half] : values) {
    weights += 1 / (half * half);
    sum += value / (half * half);
  }
  const double mean = sum / weights;
  for (const auto& [value, half] : values) q += std::pow((value - mean) / (half / quantile), 2);
  // The upper 1 % of chi-square with n − 1 degrees of freedom (Wilson & Hilferty 1931).
  const auto degrees = static_cast<double>(values.size()) - 1;
  const double limit =
      degrees < 1 ? 0 : degrees * std::pow(1 - 2 / (9 * degrees) + 2.326 * std::sqrt(2 / (9 * degrees)), 3);
  return {{mean, 1 / std::sqrt(weights)}, values.size() > 1 && q > limit};
}

struct EraValues {
  std::map<std::size_t, std::vector<const ArchivedValue*>> by_place;
  std::int64_t newest = 0;
  std::string machine;
};

HistoryPoint point_of(std::size_t place, const std::vector<const ArchivedValue*>& values, double shift,
                      double shift_half) {
  std::vector<Measured> all;
  HistoryPoint point{.place = place, .campaigns = values.size(), .era = values.front()->era};
  for (const auto* value : values) {
    all.push_back(measured(*value));
    point.rounds += value->rounds;
    point.measured = std::max(point.measured, value->started);
  }
  const auto [mean, heterogeneous] = join(all);
  const auto scale = values.front()->effect.scale;
  const double half = std::hypot(mean.half, shift_half);
  point.effect = Effect::of_test_scale(scale, mean.value + shift);
  point.interval = {.low = Effect::of_test_scale(scale, mean.value + shift - half).value,
                    .high = Effect::of_test_scale(scale, mean.value + shift + half).value};
  point.heterogeneous = heterogeneous;
  return point;
}

/// By how much an era's values have to be moved to stand in another, from the commits that both have.
struct Shift {
  double value = 0, half = 0;
  std::size_t anchors = 0;
};

Shift shift_between(const EraValues& from, const EraValues& to) {
  std::vector<double> differences, halves;
  for (const auto& [place, values] : from.by_place) {
    const auto there = to.by_place.find(place);
    if (there == to.by_place.end()) continue;
    const auto joined = [](const auto& these) {
      std::vector<Measured> all;
      for (const auto* value : these) all.push_back(measured(*value));
      return join(all).mean;
    };
    const auto a = joined(values), b = joined(there->second);
    differences.push_back(b.value - a.value);
    halves.push_back(std::hypot(a.half, b.half));
  }
  if (differences.empty()) return {};
  return {stats::median(differences), stats::median(halves) / std::sqrt(static_cast<double>(halves.size())),
          differences.size()};
}

}  // namespace

HistoryLine line_of(const Archive& archive, const Where& where, const std::string& definition,
                    const std::map<std::string, std::size_t>& places, std::string era, double margin) {
  HistoryLine line{.workload = where.workload, .setting = where.setting};
  if (const auto metric = archive.metrics.find(where.metric); metric != archive.metrics.end())
    line.metric = metric->second;
  std::map<std::string, EraValues> eras;
  std::set<std::size_t> other_work;
  for (const auto& value : archive.values) {
    const auto place = places.find(value.commit);
    if (place == places.end() || !(value.where == where)) continue;
    if (value.definition != definition) {
      other_work.insert(place->second);
      continue;
    }
    auto& of = eras[value.era];
    of.by_place[place->second].push_back(&value);
    of.newest = std::max(of.newest, value.started);
    of.machine = value.machine;
  }
  if (!other_work.empty())
    line.breaks.push_back({.what = std::to_string(other_work.size()) +
                                   (other_work.size() == 1 ? " commit was" : " commits were") +
                                   " measured with another definition of " + where.workload +
                                   ": left out, a new line begins"});
  if (eras.empty()) return line;
  if (!eras.contains(era))
    era = std::ranges::max_element(eras, {}, [](const auto& e) { return e.second.newest; })->first;
  const auto& home = eras.at(era);
  std::map<std::size_t, HistoryPoint> points;
  for (const auto& [place, values] : home.by_place) points[place] = point_of(place, values, 0, 0);
  for (const auto& [name, other] : eras) {
    if (name == era) continue;
    const auto shift = shift_between(other, home);
    HistoryBreak change{.at = 0,
                        .what = other.machine != home.machine
                                    ? "another machine"
                                    : "another program of the reference (compiler, or flags)",
                        .anchors = shift.anchors};
    if (shift.anchors > 0)
      change.shift = Effect::of_test_scale(other.by_place.begin()->second.front()->effect.scale, shift.value);
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
    values.push_back(point.effect.on_test_scale());
    line.points.push_back(point);
  }
  const auto scale = line.metric.scale;
  const auto proposals = propose(values, margin_on_test_scale(scale, margin));
  for (const auto& level : proposals.levels)
    line.levels.push_back({level.first, level.end, Effect::of_test_scale(scale, level.level)});
  for (const auto& step : proposals.steps)
    line.steps.push_back(
        {.before = step.before, .after = step.after, .effect = Effect::of_test_scale(scale, step.change)});
  return line;
}

}  // namespace assay::inline v1::history
