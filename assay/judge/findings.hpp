#pragma once

#include <vector>

#include "assay/model/campaign.hpp"
#include "assay/model/evidence.hpp"

namespace assay::judge {

/// The values of one metric from a campaign's trials of one role, the counted ones: those that ended ok, in
/// whole rounds, of cells that are sound. Cost: one pass over the trials.
Evidence evidence_of(const Record& record, MetricId metric, Role role = Role::counted);

/// The findings on watched metrics of a campaign that goes on, in order of metric and contrast: which are
/// settled by the looks taken so far. Findings without enough pairs have rounds = 0.
std::vector<Finding> watched_so_far(const Record& record);

/// Judges every contrast on every metric that has a preferred direction, from the rounds in which both of its
/// cells have a value, with the looks that were planned (see settle()); a contrast with too few such rounds
/// gets no finding and a trust note instead. All findings on a metric are one family, twins another; the
/// supporting metrics divide one error rate among them. Exact metrics are compared directly.
///
/// The one way from trials to what is shown, for a campaign that has just ended and for one read back from
/// the ledger alike. Pure: no clock, no file.
Findings judge_record(const Record& record);

}  // namespace assay::judge
