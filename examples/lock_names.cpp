// Looking a lock up by its name: a scan of all names, against an index that is built on first use. The first
// call of the one is expensive, every later one cheap: from how many calls on does it pay?

#include <assay/contest.hpp>

#include "canals.hpp"

int main(int argc, char** argv) {
  assay::Contest contest("finding a lock by name");
  contest.factor("locks", {200, 2000});
  contest.input([](const assay::Setting& setting) { return make_register(setting.integer("locks")); });
  contest.baseline("scan", find_by_scan);
  contest.candidate("index", FindByIndex{});
  return assay::run_main(contest, argc, argv);
}
