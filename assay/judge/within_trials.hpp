#pragma once

#include "assay/model/observations.hpp"
#include "assay/model/results.hpp"

namespace assay::judge {

/// What series show, of metrics that a trial has many values of: how values spread within trials, and, of
/// watched metrics without a lead-in that is left out, whether the first values differ from the later ones.
/// That is noted where the first twentieth of a trial is more than 5 % from the median of its second half in
/// enough trials (at least 6) for the paired interval, at a level of 95 %, to lie beyond that.
///
/// Cost: a sort of each series.
void add_within_trial_spread(const Observations& evidence, Findings& findings);

}  // namespace assay::judge
