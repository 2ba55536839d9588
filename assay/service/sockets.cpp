#include <arpa/inet.h>
#include <linux/inet_diag.h>
#include <linux/netlink.h>
#include <linux/sock_diag.h>
#include <netinet/in.h>
#include <netinet/tcp.h>
#include <sys/socket.h>
#include <sys/un.h>

#include <array>
#include <cerrno>
#include <charconv>
#include <cstdint>
#include <cstring>
#include <fstream>
#include <sstream>
#include <string>

#include "assay/measure/file_io.hpp"
#include "assay/service/http_transport.hpp"

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

namespace {

struct Asked {
  nlmsghdr header;
  inet_diag_req_v2 what;
};

/// Adds the listeners of an address family; false where the kernel does not tell.
bool add_reported(const measure::Descriptor& kernel, unsigned char family, int port,
                  std::set<std::uint64_t>& inodes) {
  Asked asked{};
  asked.header.nlmsg_len = sizeof asked;
  asked.header.nlmsg_type = SOCK_DIAG_BY_FAMILY;
  asked.header.nlmsg_flags = NLM_F_REQUEST | NLM_F_DUMP;
  asked.what.sdiag_family = family;
  asked.what.sdiag_protocol = IPPROTO_TCP;
  asked.what.idiag_states = 1U << static_cast<unsigned>(TCP_LISTEN);
  if (send(kernel.get(), &asked, sizeof asked, 0) != static_cast<ssize_t>(sizeof asked)) return false;
  alignas(nlmsghdr) std::array<char, 1U << 15U> buffer{};
  while (true) {
    const auto got = recv(kernel.get(), buffer.data(), buffer.size(), 0);
    if (got <= 0) return false;
    auto left = static_cast<std::size_t>(got);
    const char* at = buffer.data();
    while (left >= sizeof(nlmsghdr)) {
      nlmsghdr header{};
      std::memcpy(&header, at, sizeof header);
      if (header.nlmsg_len < sizeof header || header.nlmsg_len > left) return false;
      if (header.nlmsg_type == NLMSG_DONE) return true;
      if (header.nlmsg_type == NLMSG_ERROR || header.nlmsg_len < NLMSG_LENGTH(sizeof(inet_diag_msg)))
        return false;
      inet_diag_msg message{};
      std::memcpy(&message, at + NLMSG_HDRLEN, sizeof message);
      if (ntohs(message.id.idiag_sport) == port) inodes.insert(message.idiag_inode);
      const auto step = std::min<std::size_t>(NLMSG_ALIGN(header.nlmsg_len), left);
      at += step;
      left -= step;
    }
  }
}

template <class T>
T number(const std::string& text, int base = 10) {
  T value{};
  std::from_chars(text.data(), text.data() + text.size(), value, base);
  return value;
}

void add_listed(const char* table, int port, std::set<std::uint64_t>& inodes) {
  std::ifstream file(table);
  std::string line;
  std::getline(file, line);  // what the columns are called
  while (std::getline(file, line)) {
    std::istringstream in(line);
    std::string number_of_line, local, remote, state, queues, timer, retries, user, timeout, inode;
    in >> number_of_line >> local >> remote >> state >> queues >> timer >> retries >> user >> timeout >>
        inode;
    const auto colon = local.rfind(':');
    if (state == "0A" && colon != std::string::npos && number<int>(local.substr(colon + 1), 16) == port)
      inodes.insert(number<std::uint64_t>(inode));
  }
}

}  // namespace

std::set<std::uint64_t> listeners_on(int port) {
  std::set<std::uint64_t> inodes;
  const measure::Descriptor kernel(socket(AF_NETLINK, SOCK_RAW | SOCK_CLOEXEC, NETLINK_SOCK_DIAG));
  if (kernel && add_reported(kernel, AF_INET, port, inodes) && add_reported(kernel, AF_INET6, port, inodes))
    return inodes;
  for (const char* table : {"/proc/net/tcp", "/proc/net/tcp6"}) add_listed(table, port, inodes);
  return inodes;
}

bool is_answered(const std::string& socket) {
  bool on_its_way = false;
  return static_cast<bool>(begin_to_connect({.socket = socket}, on_its_way));
}

}  // namespace assay::service
