#pragma once

#include <sys/types.h>

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "assay/measure/file_io.hpp"
#include "assay/measure/sampling.hpp"

struct perf_event_mmap_page;

namespace assay::measure {

/// What the kernel reports of a process, in the order of time.
struct Event {
  enum class Kind { mapped, forked, executed, sampled } kind = Kind::sampled;
  std::uint64_t time = 0;
  pid_t pid = 0, parent = 0;
  std::uint64_t address = 0, bytes = 0, offset = 0;
  std::string file, build_id;
  std::optional<StackCopy> copy;  ///< within the record, which must live as long
};

/// The kernel's samples of a process and all that it starts on one core, or of one thread, in memory that it shares with
/// us.
class SampleRing {
 public:
  /// Of one of so many `cores`; core −1: of the calling thread alone, wherever it runs. What is refused is an error().
  SampleRing(pid_t process, int core, std::size_t cores, const Sampling& how);
  ~SampleRing();
  SampleRing(const SampleRing&) = delete;
  SampleRing& operator=(const SampleRing&) = delete;

  /// Why there is none, as errno; 0: there is.
  int error() const { return page_ == nullptr ? error_ : 0; }
  std::size_t bytes() const { return bytes_; }
  void stop() const;
  /// Takes what is there, so that there is room again.
  void drain();
  /// Adds what was taken to `events`, and how many samples were lost to `lost`. The copies of stacks are within this ring.
  void read(std::vector<Event>& events, std::uint64_t& lost) const;

 private:
  Descriptor file_;
  perf_event_mmap_page* page_ = nullptr;
  std::size_t bytes_ = 0;
  bool has_stacks_ = false;
  int error_ = 0;
  std::vector<std::uint8_t> raw_;
};

/// How often rings of so many bytes are to be drained, in milliseconds, so that none is full before: 10 to 100.
int relief_interval_of(const Sampling& how, std::size_t ring_bytes, std::size_t cores);

/// Why programs can't be sampled, and what to do: from errno.
std::string sampling_problem(int error);

}  // namespace assay::measure
