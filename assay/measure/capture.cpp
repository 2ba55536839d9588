#include "assay/measure/capture.hpp"

#include <fcntl.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <string>
#include <vector>

#include "assay/model/error.hpp"

namespace assay::measure {

Descriptor::~Descriptor() {
  if (fd_ >= 0) close(fd_);
}

Capture::Capture(const char* name) : file_(memfd_create(name, MFD_CLOEXEC)) {
  // Append mode, so that a program which opens /dev/stdout again does not write over what is there.
  if (!file_ || fcntl(file_.get(), F_SETFL, O_APPEND) != 0)
    throw Error(std::string("no memory file for a program's output: ") + std::strerror(errno), {},
                "look at the limits on open files and memory", Error::Code::measuring);
}

std::uint64_t Capture::size() const {
  struct stat status {};
  return fstat(file_.get(), &status) == 0 ? static_cast<std::uint64_t>(status.st_size) : 0;
}

std::size_t Capture::read(char* into, std::size_t most, std::uint64_t from) const {
  std::size_t done = 0;
  while (done < most) {
    const auto got = pread(file_.get(), into + done, most - done, static_cast<off_t>(from + done));
    if (got < 0 && errno == EINTR) continue;
    if (got < 0)
      throw Error(std::string("what a program wrote can't be read back: ") + std::strerror(errno), {}, {},
                  Error::Code::measuring);
    if (got == 0) break;  // it was made shorter
    done += static_cast<std::size_t>(got);
  }
  return done;
}

void Capture::hash_up_to(std::uint64_t end) {
  end = std::min(end, most_hashed);  // a file with a hole of any size is written in a moment
  std::vector<char> buffer(std::min<std::uint64_t>(end - std::min(end, hashed_), 1U << 20U));
  while (hashed_ < end) {
    const auto wanted = std::min<std::uint64_t>(buffer.size(), end - hashed_);
    const auto got = read(buffer.data(), wanted, hashed_);
    if (got == 0) return;
    digest_.add(buffer.data(), got);
    hashed_ += got;
  }
}

void Capture::drain() {
  const auto end = size();
  if (end < hashed_ + patience) return;
  const auto from = std::max(hashed_, kept);
  hash_up_to(end);
  if (hashed_ > from)
    fallocate(file_.get(), FALLOC_FL_PUNCH_HOLE | FALLOC_FL_KEEP_SIZE, static_cast<off_t>(from),
              static_cast<off_t>(hashed_ - from));
}

void Capture::finish() {
  bytes_ = size();
  finished_ = true;
  hash_up_to(bytes_);
  if (bytes_ <= most_hashed) return;
  const auto number = std::to_string(bytes_);
  digest_.add(number.data(), number.size());
}

std::string Capture::piece(std::uint64_t from, std::size_t count) const {
  std::string text(count, '\0');
  text.resize(read(text.data(), count, from));
  return text;
}

std::string Capture::head(std::size_t most) const {
  return piece(0, static_cast<std::size_t>(std::min<std::uint64_t>({most, kept, written()})));
}

std::string Capture::tail(std::size_t most) const {
  const auto end = written();
  const auto count = std::min<std::uint64_t>(most, end);
  return piece(end - count, static_cast<std::size_t>(count));
}

}  // namespace assay::measure
