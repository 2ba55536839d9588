#pragma once

#include <cstddef>
#include <functional>
#include <optional>

#include "assay/judge/paired_test.hpp"
#include "assay/model/observations.hpp"
#include "assay/model/results.hpp"

namespace assay::judge {

/// What can be expected of a campaign from what it measured so far: times from all trials with a wall time
/// (checks until rounds were run), the spread of effects from `pilots` (pilot or judged values; at least
/// three rounds). The spread is of the log ratios about their median, and of it only the size is used: so
/// nothing is spent of the error rate. `budget`: seconds of measuring, if limited. The first call among all
/// findings of a metric is reckoned with, see schedule::smallest_change. `slots`: trials of each cell that a
/// round is to have, see plan_repeats(). `pauses`: seconds before each of its trials.
Forecast make_forecast(const Observations& evidence, Observations::Source pilots,
                       std::optional<double> budget, const IdTable<CellId, int>& slots,
                       const IdTable<CellId, double>& pauses);

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
/// campaigns of so many rounds, up to 480; beyond that by the root rule of estimate_rounds(). The levels over
/// all looks are `changed` and `same`. Within a factor of 1.5 of the truth in 41 to 92 % of simulated cases.
RoundsToDecide rounds_needed(const PairedTest& estimate, int min_rounds, double changed, double same);

}  // namespace assay::judge
