#pragma once

#include <cstdint>
#include <span>
#include <vector>

namespace assay::stats {

/// Twice the rank of each value among all, from 2 on; equal values share the mean of their ranks, which is
/// why ranks are doubled: they stay whole numbers. Cost: a sort.
std::vector<std::uint64_t> doubled_ranks(std::span<const double> values);

/// Σ (t³ − t) over the groups of t equal values: what ties take from the variance of a rank sum.
double tie_correction(std::span<const double> values);

}  // namespace assay::stats
