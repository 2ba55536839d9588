#pragma once

#include <functional>
#include <map>

#include "assay/model/observations.hpp"

namespace assay::judge {

/// How many trials of each cell the rounds to come are to have: as in the judged rounds that were run, else
/// by what a trial costs (the lesser of its times in check and warm-up, as first runs may be slow ones), see
/// schedule::repeats_by_cost, among the sound cells of one workload and setting; a twin as many as its
/// original. One where `allows_repeats` says no, or a cost is not known.
IdTable<CellId, int> plan_repeats(const Observations& evidence,
                                  const std::function<bool(CellId)>& may_repeat);

/// Seconds that a trial of each cell takes on the average: of its rounds, else of its check. Programs that
/// ran abreast share their core. Without those of which no time is known.
std::map<CellId, double> mean_trial_seconds(const Observations& evidence);

}  // namespace assay::judge
