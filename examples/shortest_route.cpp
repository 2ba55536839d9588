// Two ways to find a barge's shortest route through a network of canals, over networks of growing size: how
// the cost of each grows, and from which size on which of them is the better one.

#include <assay/contest.hpp>

#include "canals.hpp"

int main(int argc, char** argv) {
  assay::Contest contest("shortest route");
  contest.factor("locks", {25, 50, 100, 200, 400, 800});
  contest.input([](const assay::Setting& setting) { return make_network(setting.integer("locks")); });
  contest.baseline("list", [](const Network& network) { return route_by_list(network); });
  contest.candidate("heap", [](const Network& network) { return route_by_heap(network); });
  return assay::run_main(contest, argc, argv);
}
