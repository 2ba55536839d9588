#pragma once

#include <optional>

#include "assay/model/forecast.hpp"
#include "assay/model/observations.hpp"

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

}  // namespace assay::judge
