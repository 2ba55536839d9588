// Two ways to find a barge's shortest route through a network of canals, over networks of growing size: how
// the cost of each grows, and from which size on which of them is the better one.

#include <assay/contest.hpp>
#include <cstddef>
#include <cstdint>
#include <limits>
#include <queue>
#include <random>
#include <vector>

namespace {

struct Canal {
  std::size_t to;
  int minutes;
};
using Network = std::vector<std::vector<Canal>>;

/// Every lock leads to four others; the same network for the same number of locks.
Network make_network(std::int64_t locks) {
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

constexpr int nowhere = std::numeric_limits<int>::max();

/// The nearest lock that is still open is looked for in a list of all.
int route_by_list(const Network& network) {
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
int route_by_heap(const Network& network) {
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

}  // namespace

int main(int argc, char** argv) {
  assay::Contest contest("shortest route");
  contest.factor("locks", {25, 50, 100, 200, 400, 800});
  contest.input([](const assay::Setting& setting) { return make_network(setting.integer("locks")); });
  contest.baseline("list", [](const Network& network) { return route_by_list(network); });
  contest.candidate("heap", [](const Network& network) { return route_by_heap(network); });
  return assay::run_main(contest, argc, argv);
}
