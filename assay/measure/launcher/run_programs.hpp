#pragma once

#include "assay/measure/launcher/resource_usage.hpp"
#include "assay/measure/launcher/start_program.hpp"

namespace assay::launcher {

/// Runs one program. Wall time runs from just before it is spawned until its end is known.
void run_single(const Start& start, const measure::protocol::Request& request, Counters& counters,
                measure::protocol::Reply& reply);

/// Runs several programs at once, on the cores the request names: each is made ready and waits at a gate, and
/// all are released together. What a program used up to the gate is taken off again.
void run_concurrent(const Start* starts, const measure::protocol::Request& request,
                    measure::protocol::Reply& reply);

}  // namespace assay::launcher
