#pragma once

#include "assay/measure/launcher/wait.hpp"

namespace assay::launcher {

/// Runs programs that are stopped, each the leader of a process group, one at a time: in each pass every one
/// that has not ended gets a slice of request.slice_ns, in a new random order. Returns when each has ended of
/// itself, was ended at its time limit (the sum of its slices), or by a cancel. Sets `wall_ns` to the sum of
/// a program's slices, and the reply's `left_group` where a process is in none of the groups, so that it was
/// not stopped. Reaps nothing. Clears up and exits when the socket is closed.
///
/// A slice lasts from SIGCONT until the main process is known to be stopped or to have ended: what a stop
/// needs to take effect is part of it. One that can't stop within 10 ms (it waits for its child's exec, or a
/// disk) counts as stopped, and that wait is no part of its slice.
void run_in_slices(Waited& waited, const measure::protocol::Request& request,
                   measure::protocol::Reply& reply);

}  // namespace assay::launcher
