#include "assay/history/change_points.hpp"

#include <algorithm>
#include <cmath>
#include <optional>

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

}  // namespace assay::history
