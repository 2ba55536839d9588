#pragma once

// The code that the examples compare, as a project has it before it is measured.

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <cstdint>
#include <functional>
#include <limits>
#include <queue>
#include <random>
#include <string>
#include <unordered_map>
#include <utility>
#include <vector>

// A network of canals, and two ways to find a barge's shortest route through it.

struct Canal {
  std::size_t to;
  int minutes;
};
using Network = std::vector<std::vector<Canal>>;

/// Every lock leads to four others; the same network for the same number of locks.
inline Network make_network(std::int64_t locks) {
  const auto count = static_cast<std::size_t>(locks);
  std::mt19937 random(42);
  Network network(count);
  for (std::size_t lock = 0; lock < count; ++lock) {
    network[lock].push_back({(lock + 1) % count, 60});  // the slow way round
    for (int i = 0; i < 3; ++i)
      network[lock].push_back({random() % count, static_cast<int>(5 + random() % 50)});
  }
  return network;
}

inline constexpr int nowhere = std::numeric_limits<int>::max();

/// The nearest lock that is still open is looked for in a list of all.
inline int route_by_list(const Network& network) {
  std::vector<int> minutes(network.size(), nowhere);
  std::vector<bool> done(network.size());
  minutes[0] = 0;
  for (std::size_t step = 0; step < network.size(); ++step) {
    std::size_t nearest = network.size();
    for (std::size_t lock = 0; lock < network.size(); ++lock)
      if (!done[lock] && minutes[lock] != nowhere &&
          (nearest == network.size() || minutes[lock] < minutes[nearest]))
        nearest = lock;
    if (nearest == network.size()) break;
    done[nearest] = true;
    for (const auto& canal : network[nearest])
      minutes[canal.to] = std::min(minutes[canal.to], minutes[nearest] + canal.minutes);
  }
  return minutes.back();
}

/// It is kept on top of a heap.
inline int route_by_heap(const Network& network) {
  std::vector<int> minutes(network.size(), nowhere);
  using Entry = std::pair<int, std::size_t>;
  std::priority_queue<Entry, std::vector<Entry>, std::greater<>> open;
  minutes[0] = 0;
  open.push({0, 0});
  while (!open.empty()) {
    const auto [so_far, lock] = open.top();
    open.pop();
    if (so_far > minutes[lock]) continue;
    for (const auto& canal : network[lock])
      if (so_far + canal.minutes < minutes[canal.to]) {
        minutes[canal.to] = so_far + canal.minutes;
        open.push({minutes[canal.to], canal.to});
      }
  }
  return minutes.back();
}

// A barge's itinerary, and two ways to write it out.

struct Stop {
  std::string lock;
  int minutes;
};
using Itinerary = std::vector<Stop>;

inline Itinerary make_itinerary() {
  Itinerary itinerary;
  for (int i = 0; i < 200; ++i)
    itinerary.push_back({"Lock " + std::to_string(i * 37 % 200) + " on the Hazel", 8 + i % 13});
  return itinerary;
}

inline std::string write_many_strings(const Itinerary& itinerary) {
  std::vector<std::string> lines;
  for (const auto& stop : itinerary)
    lines.push_back(stop.lock + ", " + std::to_string(stop.minutes) + " min\n");
  std::string all;
  for (const auto& line : lines) all += line;
  return all;
}

inline std::string write_one_buffer(const Itinerary& itinerary) {
  std::string all;
  all.reserve(itinerary.size() * 32);
  for (const auto& stop : itinerary) {
    all += stop.lock;
    all += ", ";
    all += std::to_string(stop.minutes);
    all += " min\n";
  }
  return all;
}

// A register of locks, and two ways to find one by its name.

struct Register {
  std::vector<std::string> names;
  std::string wanted;
};

inline Register make_register(std::int64_t locks) {
  Register all;
  const char* rivers[] = {"Alder", "Birch", "Hazel", "Rowan", "Willow"};
  for (std::int64_t i = 0; i < locks; ++i)
    all.names.push_back(std::string(rivers[i % 5]) + " Lock " + std::to_string(i * 7 % locks));
  all.wanted = all.names[all.names.size() / 2];
  return all;
}

inline std::size_t find_by_scan(const Register& all) {
  for (std::size_t i = 0; i < all.names.size(); ++i)
    if (all.names[i] == all.wanted) return i;
  return all.names.size();
}

/// Keeps its index from call to call; a copy that was never called has none.
struct FindByIndex {
  std::unordered_map<std::string, std::size_t> index;

  std::size_t operator()(const Register& all) {
    if (index.empty())
      for (std::size_t i = 0; i < all.names.size(); ++i) index.emplace(all.names[i], i);
    const auto found = index.find(all.wanted);
    return found == index.end() ? all.names.size() : found->second;
  }
};

// A year of water levels, one an hour, and two ways to smooth them by the mean of a day around each.

using Levels = std::vector<double>;

inline constexpr std::size_t hours = 365 * 24, window = 24;

/// Tides, a flood in spring, and the ripples of the gauge.
inline Levels make_levels() {
  std::mt19937 random(7);
  std::normal_distribution<double> ripple(0, 0.02);
  Levels levels;
  for (std::size_t hour = 0; hour < hours; ++hour) {
    const double day = static_cast<double>(hour) / 24;
    levels.push_back(2 + 0.3 * std::sin(day * 12.17) + 0.8 * std::exp(-std::pow((day - 95) / 12, 2)) +
                     ripple(random));
  }
  return levels;
}

inline Levels smooth_by_windows(const Levels& levels) {
  Levels smooth;
  smooth.reserve(levels.size() - window + 1);
  for (std::size_t start = 0; start + window <= levels.size(); ++start) {
    double sum = 0;
    for (std::size_t i = start; i < start + window; ++i) sum += levels[i];
    smooth.push_back(sum / window);
  }
  return smooth;
}

inline Levels smooth_by_running_sum(const Levels& levels) {
  Levels smooth;
  smooth.reserve(levels.size() - window + 1);
  double sum = 0;
  for (std::size_t i = 0; i < window; ++i) sum += levels[i];
  smooth.push_back(sum / window);
  for (std::size_t i = window; i < levels.size(); ++i) {
    sum += levels[i] - levels[i - window];
    smooth.push_back(sum / window);
  }
  return smooth;
}
