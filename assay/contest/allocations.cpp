#include "assay/contest/allocations.hpp"

extern "C" {
// Defined by the allocations library, when it is linked.
[[gnu::weak]] void assay_allocations_count(int on, assay::contest::AllocationCounts* into);
}

namespace assay::contest {

bool start_counting_allocations() {
  if (assay_allocations_count == nullptr) return false;
  assay_allocations_count(1, nullptr);
  return true;
}

AllocationCounts stop_counting_allocations() {
  AllocationCounts counts;
  if (assay_allocations_count != nullptr) assay_allocations_count(0, &counts);
  return counts;
}

}  // namespace assay::contest
