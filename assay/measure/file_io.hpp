#pragma once

#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstddef>
#include <cstdint>
#include <memory>
#include <string>
#include <utility>

namespace assay::measure {

/// The whole content of a regular file of at most 1 GiB; empty where it can't be read.
std::string content_of(const std::string& path);

/// Writes a whole file; false where it can't be written.
bool write_file(const std::string& path, const std::string& text);

/// Owns a file descriptor and closes it.
class Descriptor {
 public:
  Descriptor() = default;
  explicit Descriptor(int fd) : fd_(fd) {}
  Descriptor(Descriptor&& other) noexcept : fd_(std::exchange(other.fd_, -1)) {}
  Descriptor& operator=(Descriptor&& other) noexcept {
    std::swap(fd_, other.fd_);
    return *this;
  }
  Descriptor(const Descriptor&) = delete;
  Descriptor& operator=(const Descriptor&) = delete;
  ~Descriptor();

  int get() const { return fd_; }
  explicit operator bool() const { return fd_ >= 0; }

 private:
  int fd_ = -1;
};

/// Makes an eventfd readable, for those that poll it. From any thread.
void wake(const Descriptor& event);

/// A point in time that can only come nearer.
class Deadline {
 public:
  explicit Deadline(double seconds) : at_(after(seconds)) {}
  void at_most(double seconds) { at_ = std::min(at_, after(seconds)); }
  bool is_over() const { return Clock::now() >= at_; }
  double seconds_left() const { return std::chrono::duration<double>(at_ - Clock::now()).count(); }

 private:
  using Clock = std::chrono::steady_clock;
  static Clock::time_point after(double seconds) {
    constexpr double most = 3e8;  // ten years: what the clock can hold
    return Clock::now() + std::chrono::duration_cast<Clock::duration>(
                              std::chrono::duration<double>(std::clamp(seconds, 0.0, most)));
  }
  Clock::time_point at_;
};

/// Seconds as a launcher process gets them, at most thirty years.
inline std::int64_t nanoseconds(double seconds) { return std::llround(std::min(seconds, 1e9) * 1e9); }

/// A TCP port of the loopback interface on which nothing listened a moment ago, chosen by the kernel. Another
/// program may take it before it is used. Throws Error(measuring) when there is none.
int free_port();

/// Drops a file from the page cache, writing back first what is not on disk yet, so that its next reader
/// finds it cold. Returns the share of its pages that stayed all the same (0 is what one hopes for; files in
/// memory file systems, and pages that a running program maps, can't be dropped). No privilege is needed.
/// Throws Error when the file can't be read. Cost: a write-back, and linear in the file's pages.
double drop_from_cache(const std::string& path);

/// XXH3-128 of bytes that come piece by piece. Distinguishes answers; no protection against forgery.
class Digest {
 public:
  Digest();
  ~Digest();
  Digest(Digest&&) noexcept;
  Digest& operator=(Digest&&) noexcept;

  void add(const void* bytes, std::size_t count);
  /// 32 hexadecimal digits over all that was added so far.
  std::string text() const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

/// The digest of a file's bytes; empty when it can't be read.
std::string digest_of_file(const std::string& path);
std::string digest_of(const std::string& text);

}  // namespace assay::measure
