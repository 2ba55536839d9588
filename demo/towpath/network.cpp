#include "towpath/network.hpp"

#include <fstream>
#include <ostream>
#include <sstream>
#include <stdexcept>

namespace towpath {
namespace {

[[noreturn]] void fail(const std::string& path, std::size_t line, const std::string& what) {
  throw std::runtime_error(path + ":" + std::to_string(line) + ": " + what);
}

template <class Take>
void each_line(const std::string& path, Take&& take) {
  std::ifstream file(path);
  if (!file) throw std::runtime_error(path + ": can't be read");
  std::size_t number = 0;
  for (std::string line; std::getline(file, line);) {
    std::istringstream words(line);
    std::string kind;
    words >> kind;
    take(++number, kind, words);
  }
}

}  // namespace

Network read_network(const std::string& path) {
  Network network;
  each_line(path, [&](std::size_t number, const std::string& kind, std::istringstream& words) {
    if (kind == "lock") {
      Lock lock;
      std::string state;
      if (!(words >> lock.x >> lock.y >> state)) fail(path, number, "a lock needs x, y and open or closed");
      lock.open = state == "open";
      network.locks.push_back(std::move(lock));
    } else if (kind == "canal") {
      std::size_t a = 0, b = 0;
      std::int64_t minutes = 0;
      if (!(words >> a >> b >> minutes) || a >= network.locks.size() || b >= network.locks.size())
        fail(path, number, "a canal needs two known locks and its minutes");
      network.locks[a].canals.push_back({b, minutes});
      network.locks[b].canals.push_back({a, minutes});
    } else {
      fail(path, number, "neither a lock nor a canal");
    }
  });
  return network;
}

std::vector<Order> read_orders(const std::string& path, const Network& network) {
  std::vector<Order> orders;
  each_line(path, [&](std::size_t number, const std::string& kind, std::istringstream& words) {
    Order order;
    if (kind != "order" || !(words >> order.from >> order.to) || order.from >= network.locks.size() ||
        order.to >= network.locks.size())
      fail(path, number, "an order needs two known locks");
    orders.push_back(order);
  });
  return orders;
}

void write_network(const Network& network, std::ostream& out) {
  for (const auto& lock : network.locks)
    out << "lock " << lock.x << ' ' << lock.y << (lock.open ? " open\n" : " closed\n");
  for (std::size_t a = 0; a < network.locks.size(); ++a)
    for (const auto& canal : network.locks[a].canals)
      if (a < canal.to) out << "canal " << a << ' ' << canal.to << ' ' << canal.minutes << '\n';
}

void write_orders(const std::vector<Order>& orders, std::ostream& out) {
  for (const auto& order : orders) out << "order " << order.from << ' ' << order.to << '\n';
}

}  // namespace towpath
