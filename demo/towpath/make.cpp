#include <cmath>
#include <numeric>
#include <utility>

#include "towpath/network.hpp"

namespace towpath {
namespace {

/// SplitMix64 (Steele, Lea & Flood 2014): the same numbers with every standard library.
class Dice {
 public:
  explicit Dice(std::uint64_t seed) : state_(seed) {}
  double share() { return static_cast<double>(next() >> 11U) * 0x1.0p-53; }
  std::size_t below(std::size_t end) { return static_cast<std::size_t>(share() * static_cast<double>(end)); }

 private:
  std::uint64_t next() {
    std::uint64_t z = state_ += 0x9e3779b97f4a7c15ULL;
    z = (z ^ (z >> 30U)) * 0xbf58476d1ce4e5b9ULL;
    z = (z ^ (z >> 27U)) * 0x94d049bb133111ebULL;
    return z ^ (z >> 31U);
  }
  std::uint64_t state_;
};

std::size_t root_of(std::vector<std::size_t>& parent, std::size_t i) {
  while (parent[i] != i) i = parent[i] = parent[parent[i]];
  return i;
}

void join(Network& network, std::size_t a, std::size_t b, Dice& dice) {
  auto& from = network.locks[a];
  auto& to = network.locks[b];
  const double straight = std::hypot(from.x - to.x, from.y - to.y);
  const auto minutes = static_cast<std::int64_t>(std::ceil(straight * (1 + 0.6 * dice.share()))) + 2;
  from.canals.push_back({b, minutes});
  to.canals.push_back({a, minutes});
}

/// Neighbours on the grid, a few of them across.
std::vector<std::pair<std::size_t, std::size_t>> possible_canals(std::size_t locks, std::size_t side) {
  std::vector<std::pair<std::size_t, std::size_t>> pairs;
  for (std::size_t i = 0; i < locks; ++i) {
    const bool last_column = i % side == side - 1;
    if (!last_column && i + 1 < locks) pairs.emplace_back(i, i + 1);
    if (i + side < locks) pairs.emplace_back(i, i + side);
    if (!last_column && i + side + 1 < locks) pairs.emplace_back(i, i + side + 1);
  }
  return pairs;
}

}  // namespace

Network make_network(std::size_t locks, std::uint64_t seed) {
  Dice dice(seed);
  Network network;
  const auto side = static_cast<std::size_t>(std::ceil(std::sqrt(static_cast<double>(locks))));
  for (std::size_t i = 0; i < locks; ++i) {
    const std::size_t row = i / side;
    Lock lock;
    lock.x = std::round(20 * static_cast<double>(i % side) + 14 * dice.share());
    lock.y = std::round(20 * static_cast<double>(row) + 14 * dice.share());
    lock.open = dice.share() > 0.06;
    network.locks.push_back(std::move(lock));
  }
  auto pairs = possible_canals(locks, side);
  for (std::size_t i = pairs.size(); i > 1; --i) std::swap(pairs[i - 1], pairs[dice.below(i)]);
  std::vector<std::size_t> parent(locks);
  std::iota(parent.begin(), parent.end(), std::size_t{0});
  for (const auto& [a, b] : pairs) {
    const auto root_a = root_of(parent, a), root_b = root_of(parent, b);
    if (root_a == root_b && dice.share() > 0.7) continue;  // never the one that holds two parts together
    parent[root_a] = root_b;
    join(network, a, b, dice);
  }
  return network;
}

std::vector<Order> make_orders(const Network& network, std::size_t count, std::uint64_t seed) {
  Dice dice(seed);
  std::vector<Order> orders;
  while (orders.size() < count) {
    const Order order{dice.below(network.locks.size()), dice.below(network.locks.size())};
    if (network.locks[order.from].open && network.locks[order.to].open && order.from != order.to)
      orders.push_back(order);
  }
  return orders;
}

}  // namespace towpath
