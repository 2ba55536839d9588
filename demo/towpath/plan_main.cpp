#include <algorithm>
#include <cstdlib>
#include <exception>
#include <iostream>
#include <string>

#include "towpath/route.hpp"

namespace towpath {
namespace {

constexpr std::int64_t day = std::int64_t{24} * 60;

int plan_orders(const std::string& net, const std::string& orders, Search& search) {
  const auto network = read_network(net);
  std::int64_t total = 0;
  std::size_t number = 0;
  std::string out;
  for (const auto& order : read_orders(orders, network)) {
    const auto minutes = search(network, order.from, order.to)[order.to];
    out += "order " + std::to_string(++number) + ": " +
           (minutes == never ? "no way" : std::to_string(minutes) + " min") + "\n";
    if (minutes != never) total += minutes;
  }
  std::cout << out << "total " << total << " min\n";
  return 0;
}

int reach(const std::string& net, std::size_t depots, Search& search) {
  const auto network = read_network(net);
  std::ptrdiff_t total = 0;
  for (std::size_t depot = 0; depot < depots; ++depot) {
    const auto minutes = search(network, depot % network.locks.size(), {});
    const auto near = std::ranges::count_if(minutes, [](auto m) { return m <= day; });
    std::cout << "depot " << depot << ": " << near << " locks within a day\n";
    total += near;
  }
  std::cout << "total " << total << " locks\n";
  return 0;
}

int load(const std::string& net, int times) {
  std::size_t canals = 0;
  for (int i = 0; i < times; ++i) {
    const auto network = read_network(net);
    canals = 0;
    for (const auto& lock : network.locks) canals += lock.canals.size();
  }
  std::cout << "total " << canals / 2 << " canals\n";
  return 0;
}

int usage(const char* name) {
  std::cerr << "usage: " << name << " plan NETWORK ORDERS\n"
            << "       " << name << " reach NETWORK DEPOTS\n"
            << "       " << name << " load NETWORK TIMES\n"
            << "       " << name << " --version\n";
  return 2;
}

}  // namespace

int plan_main(int argc, char** argv, const char* name, Search& search) {
  const std::string task = argc > 1 ? argv[1] : "";
  try {
    if (task == "--version") {
      std::cout << name << " 0.4\n";
      return 0;
    }
    if (argc != 4) return usage(name);
    if (task == "plan") return plan_orders(argv[2], argv[3], search);
    if (task == "reach")
      return reach(argv[2], static_cast<std::size_t>(std::max(0, std::atoi(argv[3]))), search);
    if (task == "load") return load(argv[2], std::atoi(argv[3]));
    return usage(name);
  } catch (const std::exception& error) {
    std::cerr << name << ": " << error.what() << "\n";
    return 1;
  }
}

}  // namespace towpath
