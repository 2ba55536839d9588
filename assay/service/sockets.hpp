#pragma once

#include <cstdint>
#include <set>

#include "assay/measure/file_io.hpp"
#include "assay/service/http_transport.hpp"

namespace assay::service {

/// A socket to a server on this machine that does not block: connected, or on its way there, which
/// `on_its_way` tells. None where it can't be. Any thread.
measure::Descriptor begin_to_connect(const Address& address, bool& on_its_way);

/// Whether a socket that was on its way did not get there. Any thread.
bool has_failed(int socket);

/// The inodes of the TCP sockets that listen on this port, whatever the address. Asks the kernel for those
/// alone (sock_diag(7)); where that is not to be had, reads its tables of all connections, which takes long
/// after many short ones.
std::set<std::uint64_t> listeners_on(int port);

}  // namespace assay::service
