// The planner as a server: towpath-server PORT NETWORK RELEASE. GET /plan?from=3&to=17 replies with the
// minutes between two locks, GET /version with the release.
//
//   plain    searches with a heap                    cached   remembers what it was asked
//   thorough searches again at every twelfth order   crowded  remembers, until it holds 500 orders

#include <httplib.h>

#include <atomic>
#include <cstdlib>
#include <exception>
#include <iostream>
#include <map>
#include <mutex>
#include <optional>
#include <string>

#include "towpath/route.hpp"

namespace towpath {
namespace {

class Planner {
 public:
  Planner(Network network, std::string release)
      : network_(std::move(network)), release_(std::move(release)) {}

  const std::string& release() const { return release_; }

  /// The reply to an order, or none for locks that are not there.
  std::optional<std::string> reply(std::size_t from, std::size_t to) {
    if (from >= network_.locks.size() || to >= network_.locks.size()) return {};
    const auto order = "from " + std::to_string(from) + " to " + std::to_string(to) + ": ";
    const auto minutes = minutes_between(from, to);
    return order + (minutes == never ? "no way" : std::to_string(minutes) + " min") + "\n";
  }

 private:
  std::int64_t search(std::size_t from, std::size_t to) const {
    return search_by_heap(network_, from, to)[to];
  }

  std::int64_t minutes_between(std::size_t from, std::size_t to) {
    constexpr std::size_t crowd = 500;
    constexpr unsigned every = 12;
    if (release_ == "cached" || release_ == "crowded") {
      const std::lock_guard hold(guard_);
      if (const auto known = cache_.find({from, to}); known != cache_.end()) return known->second;
      if (release_ == "crowded" && cache_.size() >= crowd) return cache_.begin()->second;
    }
    const auto minutes = search(from, to);
    if (release_ == "thorough" && ++asked_ % every == 0 && search(to, from) == 0) return 0;
    if (release_ == "cached" || release_ == "crowded") {
      const std::lock_guard hold(guard_);
      cache_[{from, to}] = minutes;
    }
    return minutes;
  }

  Network network_;
  std::string release_;
  std::map<std::pair<std::size_t, std::size_t>, std::int64_t> cache_;
  std::mutex guard_;
  std::atomic<unsigned> asked_ = 0;
};

std::size_t number_in(const httplib::Request& request, const char* name) {
  return std::strtoull(request.get_param_value(name).c_str(), nullptr, 10);
}

int serve(int port, Planner& planner) {
  httplib::Server server;
  constexpr std::size_t connections = 64;
  server.new_task_queue = [] { return new httplib::ThreadPool(connections); };
  server.set_tcp_nodelay(true);
  server.set_keep_alive_max_count(1'000'000);
  server.Get("/version", [&](const httplib::Request&, httplib::Response& reply) {
    reply.set_content("towpath " + planner.release() + "\n", "text/plain");
  });
  server.Get("/plan", [&](const httplib::Request& request, httplib::Response& reply) {
    const auto text = planner.reply(number_in(request, "from"), number_in(request, "to"));
    if (!text) reply.status = 404;
    reply.set_content(text.value_or("there is no such lock\n"), "text/plain");
  });
  std::cerr << "towpath-server: at port " << port << std::endl;
  return server.listen("127.0.0.1", port) ? 0 : 1;
}

}  // namespace
}  // namespace towpath

int main(int argc, char** argv) try {
  if (argc != 4) {
    std::cerr << "usage: towpath-server PORT NETWORK plain|cached|thorough|crowded\n";
    return 2;
  }
  towpath::Planner planner(towpath::read_network(argv[2]), argv[3]);
  return towpath::serve(std::atoi(argv[1]), planner);
} catch (const std::exception& error) {
  std::cerr << "towpath-server: " << error.what() << "\n";
  return 1;
}
