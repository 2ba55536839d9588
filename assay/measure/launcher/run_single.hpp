#pragma once

#include "assay/measure/launcher/counters.hpp"
#include "assay/measure/launcher/start_program.hpp"

namespace assay::launcher {

/// Runs one program. Wall time runs from just before it is spawned until its end is known.
void run_single(const Start& start, const measure::protocol::Request& request, Counters& counters,
                measure::protocol::Reply& reply);

}  // namespace assay::launcher
