#pragma once

#include <cstddef>
#include <span>

namespace assay::stats {

// What every function of this module demands of its input. Each throws DomainError that names the offending
// index and value.

/// All values are finite; at least `least` of them.
void require_finite(std::span<const double> values, std::size_t least = 1);

/// All values are finite and above zero; at least `least` of them.
void require_positive(std::span<const double> values, std::size_t least = 1);

/// Two sequences that are taken in pairs.
void require_same_length(std::span<const double> a, std::span<const double> b);

/// A chance strictly between 0 and 1, like an interval's level.
void require_level(double level);

}  // namespace assay::stats
