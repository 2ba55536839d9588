#pragma once

#include <sys/mman.h>

#include <cstddef>

namespace assay::launcher {

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
