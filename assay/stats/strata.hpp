#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include "assay/stats/preconditions.hpp"

namespace assay::stats {

// Values of several strata, like rounds of several machines: strata[i] is the number of value i's, from 0 on.
// As many strata as values, at least one, all values finite; else DomainError.

/// By how much the level of each value's stratum lies above that of the stratum `main`: what is to be taken
/// from both values of pair i so that pairs of all strata lie on one level. `middles` are the means of each
/// pair's values; the level of a stratum of n pairs is the ⌈n/8⌉-th smallest of its middles, near the quick
/// ones of each. A stratum `main` without values counts as level 0. Cost: n·log(n).
///
/// A test by swapping the values of pairs stays exact on what is left: a level is a function of sums, which
/// no swap changes. A shift of one side moves all levels alike, so what is left does not depend on it.
std::vector<double> excess_levels(std::span<const double> middles, std::span<const int> strata, int main);

/// Whether all strata have one distribution, by ranks. statistic: Kruskal and Wallis's H, with the ties'
/// correction; p by `draws` random orders of the strata, (1 + as large)/(1 + draws), the same for the same
/// seed. Exact whatever the distribution; strata of one centre and unlike spread are called too often, see
/// welch_anova(). One stratum alone, or values that are all equal: p is 1. Cost: draws·n.
/// Source: Kruskal & Wallis 1952; the statistic is that of R's kruskal.test().
TestResult kruskal_wallis(std::span<const double> values, std::span<const int> strata,
                          std::size_t draws = 4999, std::uint64_t seed = 1);

/// Whether all strata have one mean, whatever their variances, for values that are near normal. At least two
/// strata of at least two values each, else DomainError. statistic: Welch's F; p from the F distribution.
/// Where a stratum does not vary at all p is 1, or 0 where none does and the means differ.
/// Source: Welch 1951; R's oneway.test().
TestResult welch_anova(std::span<const double> values, std::span<const int> strata);

}  // namespace assay::stats
