#include "assay/measure/file_io.hpp"

#include <fcntl.h>
#include <netinet/in.h>
#include <sys/eventfd.h>
#include <sys/mman.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <unistd.h>
#include <xxhash.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <cstdio>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <vector>

#include "assay/model/error.hpp"
#include "assay/model/own_files.hpp"

namespace assay::measure {

std::string content_of(const std::string& path) {
  constexpr std::size_t most = 1UL << 30U;
  try {
    return read_regular(path, most);
  } catch (const Error&) {
    return {};
  }
}

bool write_file(const std::string& path, const std::string& text) {
  try {
    write_whole(path, text, "it");
    return true;
  } catch (const Error&) {
    return false;
  }
}

void wake(const Descriptor& event) {
  while (eventfd_write(event.get(), 1) != 0 && errno == EINTR) {
  }
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

double drop_from_cache(const std::string& path) {
  const Descriptor file(open(path.c_str(), O_RDONLY | O_CLOEXEC));
  struct stat status {};
  if (!file || fstat(file.get(), &status) != 0)
    throw Error(std::string("can't be dropped from the page cache: ") + std::strerror(errno), path,
                "is the path right, and is it readable?", Error::Code::measuring);
  const auto size = static_cast<std::size_t>(status.st_size);
  if (size == 0) return 0;
  fdatasync(file.get());
  posix_fadvise(file.get(), 0, 0, POSIX_FADV_DONTNEED);
  const auto page = static_cast<std::size_t>(sysconf(_SC_PAGESIZE));
  std::vector<unsigned char> resident((size + page - 1) / page);
  void* mapped = mmap(nullptr, size, PROT_READ, MAP_SHARED, file.get(), 0);
  if (mapped == MAP_FAILED) return 0;
  const bool listed = mincore(mapped, size, resident.data()) == 0;
  munmap(mapped, size);
  if (!listed) return 0;
  const auto stayed = std::ranges::count_if(resident, [](unsigned char p) { return (p & 1U) != 0; });
  return static_cast<double>(stayed) / static_cast<double>(resident.size());
}

struct Digest::State {
  XXH3_state_t* hash = XXH3_createState();
  State() { XXH3_128bits_reset(hash); }
  State(const State&) = delete;
  State& operator=(const State&) = delete;
  ~State() { XXH3_freeState(hash); }
};

Digest::Digest() : state_(std::make_unique<State>()) {}
Digest::~Digest() = default;
Digest::Digest(Digest&&) noexcept = default;
Digest& Digest::operator=(Digest&&) noexcept = default;

void Digest::add(const void* bytes, std::size_t count) { XXH3_128bits_update(state_->hash, bytes, count); }

std::string Digest::text() const {
  const auto value = XXH3_128bits_digest(state_->hash);
  std::array<char, 33> digits{};
  std::snprintf(digits.data(), digits.size(), "%016llx%016llx", static_cast<unsigned long long>(value.high64),
                static_cast<unsigned long long>(value.low64));
  return digits.data();
}

std::string digest_of_file(const std::string& path) {
  std::error_code unreadable;
  if (!std::filesystem::is_regular_file(path, unreadable)) return {};  // a pipe would be waited for
  std::ifstream file(path, std::ios::binary);
  if (!file) return {};
  Digest digest;
  std::vector<char> piece(1 << 16);
  while (file.read(piece.data(), static_cast<std::streamsize>(piece.size())) || file.gcount() > 0)
    digest.add(piece.data(), static_cast<std::size_t>(file.gcount()));
  return digest.text();
}

std::string digest_of(const std::string& text) {
  Digest digest;
  digest.add(text.data(), text.size());
  return digest.text();
}

}  // namespace assay::measure
