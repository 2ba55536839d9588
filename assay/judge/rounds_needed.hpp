#pragma once

#include <cstddef>
#include <functional>

#include "assay/judge/paired_test.hpp"

namespace assay::judge {

/// Whether what an estimate of so many rounds shows is enough.
using IsEnough = std::function<bool(const PairedTest&)>;

/// The chance that an open finding comes to what is asked of it by so many rounds in all: the share of 20
/// simulated continuations. Each draws the further rounds from those seen, with replacement, the two sides
/// exchanged at random about the estimate, so that what they add is as noisy as what was seen and the effect
/// is the one estimated. Reproducible.
///
/// rounds: more than the estimate's. Cost: 20 times some counts of O(n log n).
///
/// Source: Efron & Tibshirani 1993, chapter 25 (power by resampling).
double chance_of(const PairedTest& estimate, std::size_t rounds, const IsEnough& enough);

/// Whether any of 60 continuations comes to it. Where none does, the chance of one is below 5 %, with
/// confidence 95 % (Clopper & Pearson 1934); where it is likely, the first few show it.
bool can_come_to(const PairedTest& estimate, std::size_t rounds, const IsEnough& enough);

/// The fewest rounds by which an open finding is decided with even odds, by chance_of() at the last look of
/// campaigns of so many rounds, up to 480; beyond that by the root rule of estimate_rounds(). The levels over all
/// looks are `changed` and `same`. Within a factor of 1.5 of the truth in 41 to 92 % of simulated cases.
RoundsToDecide rounds_needed(const PairedTest& estimate, int min_rounds, double changed, double same);

}  // namespace assay::judge
