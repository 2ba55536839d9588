#include <algorithm>
#include <cstdlib>
#include <exception>
#include <iostream>
#include <stdexcept>
#include <string>

#include "towpath/route.hpp"

namespace towpath {
namespace {

constexpr std::int64_t day = std::int64_t{24} * 60;

/// What may be said after the file names, as NAME=VALUE.
struct Extras {
  bool checked = false;          ///< check=yes: each way is searched back as well, and must take as long
  std::string without = "none";  ///< a stage that is left out, to see what it costs: search or print
};

Extras extras_of(int argc, char** argv) {
  Extras extras;
  for (int i = 4; i < argc; ++i) {
    const std::string word = argv[i];
    if (word == "check=yes" || word == "check=no")
      extras.checked = word == "check=yes";
    else if (word == "without=none" || word == "without=search" || word == "without=print")
      extras.without = word.substr(word.find('=') + 1);
    else
      throw std::runtime_error("what is " + word + "?");
  }
  return extras;
}

Network network_of(const std::string& path, std::size_t most) {
  auto network = read_network(path);
  if (most > 0 && network.locks.size() > most) {
    std::cerr << "more than " << most << " locks\n";
    std::exit(77);
  }
  return network;
}

int plan_orders(const Network& network, const std::string& orders, Search& search, const Extras& extras) {
  std::int64_t total = 0;
  std::size_t number = 0;
  std::string out;
  for (const auto& order : read_orders(orders, network)) {
    const auto minutes = extras.without == "search" ? never : search(network, order.from, order.to)[order.to];
    if (extras.checked && search(network, order.to, order.from)[order.from] != minutes)
      throw std::runtime_error("the way back of order " + std::to_string(number + 1) + " takes longer");
    ++number;
    if (extras.without != "print")
      out += "order " + std::to_string(number) + ": " +
             (minutes == never ? "no way" : std::to_string(minutes) + " min") + "\n";
    if (minutes != never) total += minutes;
  }
  std::cout << out << "total " << total << " min\n";
  return 0;
}

int reach(const Network& network, std::size_t depots, Search& search) {
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

int load(const std::string& net, int times, std::size_t most) {
  std::size_t canals = 0;
  for (int i = 0; i < times; ++i) {
    const auto network = network_of(net, most);
    canals = 0;
    for (const auto& lock : network.locks) canals += lock.canals.size();
  }
  std::cout << "total " << canals / 2 << " canals\n";
  return 0;
}

int usage(const char* name) {
  std::cerr << "usage: " << name << " plan NETWORK ORDERS [check=yes|no] [without=search|print]\n"
            << "       " << name << " reach NETWORK DEPOTS\n"
            << "       " << name << " load NETWORK TIMES\n"
            << "       " << name << " --version\n";
  return 2;
}

}  // namespace

int plan_main(int argc, char** argv, const char* name, Search& search, std::size_t most) {
  const std::string task = argc > 1 ? argv[1] : "";
  try {
    if (task == "--version") {
      std::cout << name << " 0.4\n";
      return 0;
    }
    if (argc < 4 || (argc > 4 && task != "plan")) return usage(name);
    if (task == "plan") return plan_orders(network_of(argv[2], most), argv[3], search, extras_of(argc, argv));
    if (task == "reach")
      return reach(network_of(argv[2], most), static_cast<std::size_t>(std::max(0, std::atoi(argv[3]))),
                   search);
    if (task == "load") return load(argv[2], std::atoi(argv[3]), most);
    return usage(name);
  } catch (const std::exception& error) {
    std::cerr << name << ": " << error.what() << "\n";
    return 1;
  }
}

}  // namespace towpath
