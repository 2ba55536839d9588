#include "assay/service/http_transport.hpp"

#include <chrono>

namespace assay::service {

std::string to_string(RequestError fault) {
  switch (fault) {
    case RequestError::none:
      return "answered";
    case RequestError::connect:
      return "no connection could be had";
    case RequestError::timeout:
      return "no reply came in time";
    case RequestError::reset:
      return "the connection ended before a reply came";
    case RequestError::truncated:
      return "the reply was cut short";
    case RequestError::malformed:
      return "the reply is no HTTP, or longer than 64 MiB";
    case RequestError::certificate:
      return "the server's certificate is not signed by the authority that the plan names, or not for "
             "localhost";
    case RequestError::protocol:
      return "the server does not speak what the plan asks for (tls, protocol)";
  }
  return {};
}

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

std::unique_ptr<HttpTransport> open_transport(const Address& address) {
  return address.is_plain() ? socket_transport(address) : curl_transport(address);
}

}  // namespace assay::service
