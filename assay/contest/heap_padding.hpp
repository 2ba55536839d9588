#pragma once

#include <cstddef>
#include <memory>
#include <utility>
#include <vector>

#include "assay/stats/random.hpp"

namespace assay::contest {

/// Blocks of memory of random number and size that are put between things that are made one after the other,
/// so that they come to lie elsewhere each time. Not to be used from several threads.
class HeapPadding {
 public:
  /// Begins to lay things out anew. What was put down before stays until the next time, so that the heap is
  /// not found as it was.
  void begin() { before_ = std::exchange(now_, {}); }

  /// Puts down 1 to 16 blocks of 16 bytes to 4 KiB and, one time in four, one of up to 256 KiB. Cost: some
  /// microseconds.
  void add(stats::Random& random) {
    for (auto blocks = 1 + random.below(16); blocks > 0; --blocks) put(16 + random.below(4081));
    if (random.below(4) == 0) put(1 + random.below(std::size_t{256} << 10U));
  }

 private:
  void put(std::size_t bytes) { now_.push_back(std::unique_ptr<char[]>(new char[bytes])); }

  std::vector<std::unique_ptr<char[]>> now_, before_;
};

}  // namespace assay::contest
