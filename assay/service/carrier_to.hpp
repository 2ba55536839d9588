#pragma once

#include <memory>

#include "assay/service/carrier.hpp"

namespace assay::service {

/// What carries requests to this address: sockets of Assay's own for plain HTTP/1.1, since they cost the
/// driver least and change what is seen least; libcurl for TLS, HTTP/2 and compression.
std::unique_ptr<HttpTransport> open_transport(const Address& address);

}  // namespace assay::service
