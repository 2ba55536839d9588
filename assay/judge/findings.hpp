#pragma once

#include <vector>

#include "assay/model/campaign.hpp"
#include "assay/model/evidence.hpp"

namespace assay::judge {

/// The values of one metric from a campaign's counted trials: those that ended ok, in whole rounds, of cells
/// that are sound. Cost: one pass over the trials.
Evidence evidence_of(const Record& record, MetricId metric);

/// Judges every contrast on every metric that has a preferred direction, from the rounds in which both of its
/// cells have a value; a contrast with too few such rounds gets no finding and a trust note instead.
/// p_adjusted is over all findings on the same metric (Benjamini & Hochberg 1995).
///
/// The one way from trials to what is shown, for a campaign that has just ended and for one read back from
/// the ledger alike. Pure: no clock, no file.
Findings judge_record(const Record& record);

}  // namespace assay::judge
