#include "assay/measure/file_io.hpp"

#include <netinet/in.h>
#include <sys/socket.h>

#include <cerrno>
#include <cstring>
#include <fstream>
#include <sstream>

#include "assay/model/error.hpp"

namespace assay::measure {

std::string content_of(const std::string& path) {
  std::ifstream file(path, std::ios::binary);
  std::ostringstream text;
  text << file.rdbuf();
  return text.str();
}

bool write_file(const std::string& path, const std::string& text) {
  std::ofstream file(path, std::ios::binary);
  file << text << std::flush;
  return file.good();
}

int free_port() {
  const Descriptor socket(::socket(AF_INET, SOCK_STREAM | SOCK_CLOEXEC, 0));
  sockaddr_in address{};
  address.sin_family = AF_INET;
  address.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
  socklen_t length = sizeof address;
  auto* any = reinterpret_cast<sockaddr*>(&address);
  if (!socket || bind(socket.get(), any, length) != 0 || getsockname(socket.get(), any, &length) != 0)
    throw Error("no port can be had: " + std::string(std::strerror(errno)), "${port}",
                "look at the limits on sockets, and whether the loopback interface is up",
                Error::Code::measuring);
  return ntohs(address.sin_port);
}

}  // namespace assay::measure
