// Makes the demo's data: a network, and orders on it.

#include <cstdlib>
#include <fstream>
#include <iostream>
#include <string>

#include "towpath/network.hpp"

int main(int argc, char** argv) {
  if (argc != 5) {
    std::cerr << "usage: towpath-generate FOLDER LOCKS ORDERS SEED\n"
              << "writes FOLDER/net-LOCKS.txt, FOLDER/orders-LOCKS.txt and FOLDER/requests-LOCKS.jsonl\n";
    return 2;
  }
  const std::string folder = argv[1];
  const auto locks = std::strtoull(argv[2], nullptr, 10), orders = std::strtoull(argv[3], nullptr, 10),
             seed = std::strtoull(argv[4], nullptr, 10);
  if (locks < 4 || locks > 1'000'000 || orders < 1) {
    std::cerr << "towpath-generate: 4 to 1000000 locks and at least one order\n";
    return 2;
  }
  const auto network = towpath::make_network(locks, seed);
  std::ofstream net(folder + "/net-" + argv[2] + ".txt"), list(folder + "/orders-" + argv[2] + ".txt");
  towpath::write_network(network, net);
  towpath::write_orders(towpath::make_orders(network, orders, seed + 1), list);
  std::ofstream requests(folder + "/requests-" + argv[2] + ".jsonl");
  constexpr std::size_t asked = 1200;
  for (const auto& order : towpath::make_orders(network, asked, seed + 2))
    requests << "{\"path\": \"/plan?from=" << order.from << "&to=" << order.to << "\"}\n";
  net.close();
  list.close();
  requests.close();
  if (!net || !list || !requests) {
    std::cerr << "towpath-generate: " << folder << ": can't be written\n";
    return 1;
  }
  return 0;
}
