#pragma once

#include <cstdint>
#include <iosfwd>
#include <string>
#include <vector>

namespace towpath {

struct Canal {
  std::size_t to = 0;
  std::int64_t minutes = 0;
};

struct Lock {
  double x = 0, y = 0;  ///< in minutes of travel at full speed
  bool open = true;
  std::vector<Canal> canals;
};

/// Canals join locks in both directions and take at least as long as the straight line.
struct Network {
  std::vector<Lock> locks;
};

struct Order {
  std::size_t from = 0, to = 0;
};

/// Read what the generator wrote. Throw std::runtime_error with file and line.
Network read_network(const std::string& path);
std::vector<Order> read_orders(const std::string& path, const Network& network);

/// A made-up network of `locks` locks: a jittered grid with canals left out here and there, some locks closed
/// for repair. The same seed makes the same network.
Network make_network(std::size_t locks, std::uint64_t seed);
std::vector<Order> make_orders(const Network& network, std::size_t count, std::uint64_t seed);

void write_network(const Network& network, std::ostream& out);
void write_orders(const std::vector<Order>& orders, std::ostream& out);

}  // namespace towpath
