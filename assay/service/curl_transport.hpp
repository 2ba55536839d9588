#pragma once

#include <memory>

#include "assay/service/http_transport.hpp"

namespace assay::service {

/// Requests through libcurl, a connection for each slot: TLS, HTTP/2 over it, compressed replies, which are
/// unpacked. Connections are made by the first requests. Waits end to the millisecond; the last one is spent
/// without sleep. No proxies, no redirects. A body beyond longest_body is malformed.
std::unique_ptr<HttpTransport> curl_transport(const Address& address);

}  // namespace assay::service
