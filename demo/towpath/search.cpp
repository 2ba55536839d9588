#include <algorithm>
#include <cmath>
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

}  // namespace towpath
