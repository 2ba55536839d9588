#include "assay/service/carrier.hpp"

#include <chrono>

namespace assay::inline v1::service {

double now() {
  return std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count();
}

std::string Address::host() const {
  return socket.empty() ? "127.0.0.1:" + std::to_string(port) : "localhost";
}

}  // namespace assay::inline v1::service
