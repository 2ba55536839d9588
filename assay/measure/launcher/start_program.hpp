#pragma once

/// Becoming a program, in a fresh child.

#include <sys/mman.h>

#include <cstddef>
#include <cstdint>

#include "assay/measure/launcher/protocol.hpp"

namespace assay::launcher {

/// What a request says about one program; the texts are the request's own memory.
struct Start {
  const char* directory;
  const char* path;
  const char* input;
  const char* join;  ///< a cgroup.procs file; empty: none
  char** arguments;
  char** variables;
  int out, err, samples;
};

/// Where a child says that it failed before it had a program of its own.
struct Failure {
  volatile std::int32_t error;
  volatile measure::protocol::Step step;
};

/// Everything up to the point where only exec is left: session, cgroup, core, niceness, limits, working
/// directory, standard streams. Allocates nothing, so that it may run in a vfork child. False, with the
/// failure reported, when a step failed.
bool prepare(const Start& start, const measure::protocol::Request& request, Failure& failure);

/// Closes every other descriptor and executes the program. Does not return.
[[noreturn]] void execute(const Start& start, const measure::protocol::Request& request, Failure& failure);

std::int64_t now_ns();

/// Readable and writable memory of its own pages, given back with this object.
class Mapping {
 public:
  /// `flags` and `file` as for mmap(2).
  Mapping(std::size_t bytes, int flags, int file)
      : memory_(mmap(nullptr, bytes, PROT_READ | PROT_WRITE, flags, file, 0)), bytes_(bytes) {}
  ~Mapping() {
    if (memory_ != MAP_FAILED) munmap(memory_, bytes_);
  }
  Mapping(const Mapping&) = delete;
  Mapping& operator=(const Mapping&) = delete;

  /// nullptr, with the reason in errno, where there is none.
  void* memory() const { return memory_ == MAP_FAILED ? nullptr : memory_; }

 private:
  void* memory_;
  std::size_t bytes_;
};

}  // namespace assay::launcher
