#pragma once

#include <sys/types.h>

#include "assay/measure/launcher/protocol.hpp"

/// What ended processes have used, and the waiting for them.
namespace assay::launcher {

using measure::protocol::Program;

/// Reaps a child that has ended and adds what it used to `used`: CPU time, memory, faults and switches as
/// wait4 tells them; the bytes it read and wrote, which the kernel adds to the reaping parent's own account
/// at that moment; and how long it waited for a core, of its main thread, without what children of its own
/// waited. Returns wait4's result.
pid_t reap(pid_t pid, int* status, Program& used);

/// Reaps orphans that have ended, kills those that have not, until there is no child left. What ends after
/// the first kill is counted as left over. Each is booked to the one of `programs` (their process ids in
/// `pids`) whose session it is in, or to the first.
void clear_orphans(Program* programs, const pid_t* pids, int count);

[[noreturn]] void clear_and_exit();

}  // namespace assay::launcher
