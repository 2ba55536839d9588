#pragma once

#include <sys/types.h>

#include <cstdint>
#include <set>
#include <string>
#include <vector>

namespace assay::service {

/// The processes of a session that live now: a server with everything it started, but for those that made a
/// session of their own. Cost: a look at every process of the machine.
std::vector<pid_t> processes_of(pid_t session);

/// CPU seconds that these processes have used up to now, with the children that they have waited for. Those
/// of living processes are exact, those of children by the kernel's ticks.
double cpu_of(const std::vector<pid_t>& processes);

/// The inodes of the sockets that these processes hold.
std::set<std::uint64_t> sockets_of(const std::vector<pid_t>& processes);

}  // namespace assay::service
