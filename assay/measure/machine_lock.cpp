#include "assay/measure/machine_lock.hpp"

#include <sys/socket.h>
#include <sys/un.h>

#include <cstddef>
#include <cstring>

namespace assay::measure {

MachineLock::MachineLock(const char* name) : name_(name) {}

bool MachineLock::try_lock() {
  if (held_) return true;
  Descriptor candidate(socket(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0));
  sockaddr_un address{};
  address.sun_family = AF_UNIX;
  const auto length = std::strlen(name_);  // the byte before it stays zero: the abstract space
  std::memcpy(address.sun_path + 1, name_, length);
  if (!candidate || bind(candidate.get(), reinterpret_cast<sockaddr*>(&address),
                         static_cast<socklen_t>(offsetof(sockaddr_un, sun_path) + 1 + length)) != 0)
    return false;
  held_ = std::move(candidate);
  return true;
}

}  // namespace assay::measure
