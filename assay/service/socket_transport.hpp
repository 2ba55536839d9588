#pragma once

#include <memory>

#include "assay/service/http_transport.hpp"

namespace assay::service {

/// HTTP/1.1 over sockets of its own: keep-alive, chunked bodies, interim replies, bodies that end with the
/// connection. No proxies, no redirects. A body beyond 64 MiB is malformed.
std::unique_ptr<HttpTransport> socket_transport(const Address& address);

}  // namespace assay::service
