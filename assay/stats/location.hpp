#pragma once

#include <span>

namespace assay::stats {

/// The middle value, or the mean of the middle two. At least one value, all finite, else DomainError.
/// Cost: O(n) expected, a copy.
double median(std::span<const double> values);

}  // namespace assay::stats
