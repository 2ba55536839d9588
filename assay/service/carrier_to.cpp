#include "assay/service/carrier_to.hpp"

#include "assay/service/curl_carrier.hpp"
#include "assay/service/socket_carrier.hpp"

namespace assay::inline v1::service {

std::unique_ptr<Carrier> carrier_to(const Address& address) {
  return address.is_plain() ? socket_carrier(address) : curl_carrier(address);
}

}  // namespace assay::inline v1::service
