#pragma once

#include <sys/types.h>

#include <cstdint>

#include "assay/measure/launcher/protocol.hpp"

/// Waiting for programs to end, with the time limit kept and the socket heard.
namespace assay::launcher {

/// Processes that are waited for together.
struct Waited {
  int count = 0;
  pid_t pids[measure::protocol::most_programs];
  std::int64_t ended[measure::protocol::most_programs];  ///< when; 0: not yet
};

/// Sleeps until each has ended of itself, or was ended by the time limit, a cancel or a stop request. Marks
/// `timed_out` in those that were still running at the time limit. Reaps nothing. Where the kernel gives no
/// pidfd, SIGCHLD wakes it instead. Clears up and exits when the socket is closed.
void wait_for_all(Waited& waited, const measure::protocol::Request& request, std::int64_t start,
                  measure::protocol::Reply& reply);

}  // namespace assay::launcher
