#include "assay/service/carrier_to.hpp"

#include "assay/service/curl_carrier.hpp"
#include "assay/service/socket_carrier.hpp"

namespace assay::service {

std::unique_ptr<HttpTransport> open_transport(const Address& address) {
  return address.is_plain() ? socket_transport(address) : curl_transport(address);
}

}  // namespace assay::service
