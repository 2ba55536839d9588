#include "assay/service/connecting.hpp"

#include <arpa/inet.h>
#include <netinet/in.h>
#include <netinet/tcp.h>
#include <sys/socket.h>
#include <sys/un.h>

#include <cerrno>
#include <cstdint>
#include <cstring>

namespace assay::service {

measure::Descriptor begin_to_connect(const Address& address, bool& on_its_way) {
  const bool local = !address.socket.empty();
  measure::Descriptor socket(
      ::socket(local ? AF_UNIX : AF_INET, SOCK_STREAM | SOCK_CLOEXEC | SOCK_NONBLOCK, 0));
  if (!socket) return {};
  sockaddr_storage storage{};
  socklen_t length = 0;
  if (local) {
    auto& to = reinterpret_cast<sockaddr_un&>(storage);
    to.sun_family = AF_UNIX;
    if (address.socket.size() >= sizeof to.sun_path) return {};
    std::memcpy(to.sun_path, address.socket.c_str(), address.socket.size() + 1);
    length = sizeof to;
  } else {
    auto& to = reinterpret_cast<sockaddr_in&>(storage);
    to.sin_family = AF_INET;
    to.sin_port = htons(static_cast<std::uint16_t>(address.port));
    to.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
    length = sizeof to;
    const int on = 1;
    setsockopt(socket.get(), IPPROTO_TCP, TCP_NODELAY, &on, sizeof on);
  }
  on_its_way = connect(socket.get(), reinterpret_cast<sockaddr*>(&storage), length) != 0;
  if (on_its_way && errno != EINPROGRESS) return {};
  return socket;
}

bool has_failed(int socket) {
  int failed = 0;
  socklen_t size = sizeof failed;
  return getsockopt(socket, SOL_SOCKET, SO_ERROR, &failed, &size) != 0 || failed != 0;
}

}  // namespace assay::service
