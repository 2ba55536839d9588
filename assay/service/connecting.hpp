#pragma once

#include "assay/measure/descriptor.hpp"
#include "assay/service/carrier.hpp"

namespace assay::service {

/// A socket to a server on this machine that does not block: connected, or on its way there, which
/// `on_its_way` tells. None where it can't be. Any thread.
measure::Descriptor begin_to_connect(const Address& address, bool& on_its_way);

/// Whether a socket that was on its way did not get there. Any thread.
bool has_failed(int socket);

}  // namespace assay::service
