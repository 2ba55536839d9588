#pragma once

#include <cstdint>
#include <set>

namespace assay::service {

/// The inodes of the TCP sockets that listen on this port, whatever the address. Asks the kernel for those
/// alone (sock_diag(7)); where that is not to be had, reads its tables of all connections, which takes long
/// after many short ones.
std::set<std::uint64_t> listeners_on(int port);

}  // namespace assay::service
