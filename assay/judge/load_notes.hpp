#pragma once

#include "assay/model/evidence.hpp"
#include "assay/model/findings.hpp"

namespace assay::judge {

/// Whether servers got the load that they were meant to get, and how they bore it; each note with its figure
/// and threshold, one of a kind for each workload, of the cell that shows it most.
///
/// - A rate of arrivals was not sustained in half the rounds or more.
/// - Clients had a request under way for less than 80 % of their time: what the servers take shows diluted.
/// - Sending and receiving took more than 70 % of a core, or, on the servers' own cores, more than half as
///   much CPU time as the server.
/// - One request in a hundred of an open loop went out more than 1 ms, or a tenth of the median latency,
///   late; all its connections were in use in half the rounds or more.
/// - More than 1 % of the requests needed a new connection; a connection took more than 0.9 s.
/// - A server used more than 1 % of a core while it was not asked.
/// - Its rate changed towards the end of its load, or stalls made it lower than its steady rate: by more than
///   the margin (of at least 2 %) and by the paired test.
/// - Servers were kept up over the rounds.
void add_load_notes(const Observations& evidence, Findings& findings);

}  // namespace assay::judge
