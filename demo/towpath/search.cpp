#include <algorithm>
#include <cmath>
#include <limits>
#include <queue>
#include <utility>

#include "towpath/route.hpp"

namespace towpath {
namespace {

bool passable(const Network& network, std::size_t lock) { return network.locks[lock].open; }

/// Dijkstra's search with a binary heap, ordered by minutes so far plus `bound` (Hart, Nilsson & Raphael
/// 1968).
template <class Bound, class MayEnter>
std::vector<std::int64_t> search_with_heap(const Network& network, std::size_t from,
                                           std::optional<std::size_t> goal, Bound&& bound,
                                           MayEnter&& may_enter) {
  std::vector<std::int64_t> minutes(network.locks.size(), never);
  using Entry = std::pair<std::int64_t, std::size_t>;
  std::priority_queue<Entry, std::vector<Entry>, std::greater<>> frontier;
  minutes[from] = 0;
  frontier.emplace(bound(from), from);
  while (!frontier.empty()) {
    const auto [estimate, lock] = frontier.top();
    frontier.pop();
    if (goal == lock) break;
    if (estimate > minutes[lock] + bound(lock)) continue;
    for (const auto& canal : network.locks[lock].canals) {
      const auto arrival = minutes[lock] + canal.minutes;
      if (!may_enter(canal.to) || arrival >= minutes[canal.to]) continue;
      minutes[canal.to] = arrival;
      frontier.emplace(arrival + bound(canal.to), canal.to);
    }
  }
  return minutes;
}

auto straight_line(const Network& network, std::optional<std::size_t> goal) {
  return [&network, goal](std::size_t lock) -> std::int64_t {
    if (!goal) return 0;
    const auto& a = network.locks[lock];
    const auto& b = network.locks[*goal];
    return static_cast<std::int64_t>(std::floor(std::hypot(a.x - b.x, a.y - b.y)));
  };
}

}  // namespace

std::vector<std::int64_t> search_by_list(const Network& network, std::size_t from,
                                         std::optional<std::size_t> goal) {
  std::vector<std::int64_t> minutes(network.locks.size(), never);
  std::vector<std::size_t> frontier = {from};
  minutes[from] = 0;
  while (!frontier.empty()) {
    const auto nearest =
        std::ranges::min_element(frontier, {}, [&](std::size_t lock) { return minutes[lock]; });
    const auto lock = *nearest;
    *nearest = frontier.back();
    frontier.pop_back();
    if (goal == lock) break;
    for (const auto& canal : network.locks[lock].canals) {
      const auto arrival = minutes[lock] + canal.minutes;
      if (!passable(network, canal.to) || arrival >= minutes[canal.to]) continue;
      if (minutes[canal.to] == never) frontier.push_back(canal.to);
      minutes[canal.to] = arrival;
    }
  }
  return minutes;
}

std::vector<std::int64_t> search_by_heap(const Network& network, std::size_t from,
                                         std::optional<std::size_t> goal) {
  return search_with_heap(
      network, from, goal, [](std::size_t) { return std::int64_t{0}; },
      [&](std::size_t lock) { return passable(network, lock); });
}

std::vector<std::int64_t> search_to_goal(const Network& network, std::size_t from,
                                         std::optional<std::size_t> goal) {
  return search_with_heap(network, from, goal, straight_line(network, goal),
                          [&](std::size_t lock) { return passable(network, lock); });
}

std::vector<std::int64_t> search_hastily(const Network& network, std::size_t from,
                                         std::optional<std::size_t> goal) {
  return search_with_heap(network, from, goal, straight_line(network, goal),
                          [](std::size_t) { return true; });
}

std::vector<std::int64_t> search_by_matrix(const Network& network, std::size_t from,
                                           std::optional<std::size_t> goal) {
  const auto count = network.locks.size();
  constexpr std::int32_t no_canal = std::numeric_limits<std::int32_t>::max();
  // Made once: it is large, and the network stays the same.
  static const std::vector<std::int32_t> matrix = [&] {
    std::vector<std::int32_t> all(count * count, no_canal);
    for (std::size_t lock = 0; lock < count; ++lock)
      for (const auto& canal : network.locks[lock].canals)
        if (passable(network, canal.to))
          all[lock * count + canal.to] = static_cast<std::int32_t>(canal.minutes);
    return all;
  }();
  std::vector<std::int64_t> minutes(count, never);
  std::vector<bool> done(count, false);
  minutes[from] = 0;
  while (true) {
    std::size_t nearest = count;
    for (std::size_t lock = 0; lock < count; ++lock)
      if (!done[lock] && minutes[lock] != never && (nearest == count || minutes[lock] < minutes[nearest]))
        nearest = lock;
    if (nearest == count || goal == nearest) return minutes;
    done[nearest] = true;
    for (std::size_t to = 0; to < count; ++to)
      if (const auto canal = matrix[nearest * count + to]; canal != no_canal)
        minutes[to] = std::min(minutes[to], minutes[nearest] + canal);
  }
}

}  // namespace towpath
