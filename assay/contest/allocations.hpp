#pragma once

#include <cstdint>
#include <optional>

namespace assay::contest {

/// What was asked of operator new.
struct AllocationCounts {
  std::uint64_t calls = 0, bytes = 0, peak = 0;  ///< peak: most bytes held at a time, as the heap rounds them
};

/// Counts from now on, on all threads. False when the counting operators are not linked: they come with the
/// CMake target assay::allocations, or -lassay_allocations after -u assay_allocations_count.
bool start_counting_allocations();
/// What was counted since. Counting ends.
AllocationCounts stop_counting_allocations();

}  // namespace assay::contest
