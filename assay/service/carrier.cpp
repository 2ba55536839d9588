#include "assay/service/carrier.hpp"

#include <chrono>

namespace assay::service {

double now() {
  return std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count();
}

std::vector<EncodedRequest> encode(std::span<const Request> requests, const Address& address) {
  std::vector<EncodedRequest> wires;
  for (const auto& request : requests)
    wires.push_back({on_the_wire(request, address.host()), request.method == "HEAD", request});
  return wires;
}

std::string Address::host() const {
  return socket.empty() ? "127.0.0.1:" + std::to_string(port) : "localhost";
}

}  // namespace assay::service
