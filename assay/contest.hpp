#pragma once

/// Compares functions inside one program, to a fraction of a per cent in seconds.
///
///   assay::Contest contest("shortest route");
///   contest.factor("locks", {100, 400, 1600, 6400});
///   contest.input([](const assay::Setting& s) { return make_network(s.integer("locks")); });
///   contest.baseline("list", [](const Network& net) { return route_by_list(net); });
///   contest.candidate("heap", [](const Network& net) { return route_by_heap(net); });
///   return assay::run_main(contest, argc, argv);

#include "assay/app/run_main.hpp"
#include "assay/contest/callable.hpp"
#include "assay/contest/contest.hpp"
#include "assay/results.hpp"

namespace assay {

using model::Factor;
using model::Level;

}  // namespace assay
