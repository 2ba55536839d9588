#pragma once

#include <cstddef>
#include <cstdint>

#include "assay/judge/estimate.hpp"

namespace assay::inline v1::judge {

/// The chance that an open finding is settled, one way or the other, by a look at so many rounds in all that
/// calls counts below `critical`: the share of 20 simulated continuations. Each draws the further rounds from
/// those seen, with replacement, the two sides exchanged at random about the estimate, so that what they add
/// is as noisy as what was seen and the effect is the one estimated. Reproducible.
///
/// rounds: more than the estimate's. Cost: 20 times some counts of O(n log n).
///
/// Source: Efron & Tibshirani 1993, chapter 25 (power by resampling).
double chance_to_settle(const Estimate& estimate, std::size_t rounds, std::uint64_t critical);

/// Whether any of these continuations is settled; where one in twenty or more are likely to, it nearly always
/// says so with the first few.
bool can_settle(const Estimate& estimate, std::size_t rounds, std::uint64_t critical);

/// The fewest rounds by which an open finding is settled with even odds, by chance_to_settle() at the planned
/// looks, whose level over all of them is alpha, and, beyond the last one, at those of longer campaigns, up
/// to 480 rounds; beyond that by the root rule of price_of(). Within a factor of 1.5 of the truth in 41 to 92
/// % of simulated cases.
Price price_by_resampling(const Estimate& estimate, int min_rounds, int max_rounds, double alpha);

}  // namespace assay::inline v1::judge
