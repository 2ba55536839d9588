#pragma once

#include <vector>

#include "assay/model/observations.hpp"
#include "assay/model/results.hpp"

namespace assay::judge {

/// The findings on watched metrics of a campaign that goes on, in order of metric and comparison: which are
/// decided by the looks taken so far. Findings without enough pairs have rounds = 0.
std::vector<Finding> interim_findings(const Design& design, const Observations& evidence);

/// Judges every comparison on every metric that has a preferred direction, from the rounds in which both of its
/// cells have a value, with the looks that were planned (see decide_family()); a comparison with too few such rounds
/// gets no finding and a note instead. All findings on a metric are one family, twins another; the
/// supporting metrics divide one error rate among them. Exact metrics are compared directly.
///
/// The one way from what was measured to what is shown, for a campaign that has just ended and for one read
/// back from the ledger alike. Pure: no clock, no file.
Findings judge(const Design& design, const Observations& evidence);

/// The same from a whole record.
Findings judge_record(const Record& record);

}  // namespace assay::judge
