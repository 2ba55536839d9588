#pragma once

#include <cstddef>

#include "assay/model/campaign.hpp"

namespace assay::judge {

/// Looks through a campaign's trials for what weakens its findings, and adds a sentence for each thing:
/// outputs that differ from the baseline's where equality was not asked for, the same program compared with
/// itself, processes left behind, trials that failed now and then.
void add_trust_notes(const Record& record, Findings& findings);

/// Why comparing this candidate with its baseline is comparing a program with itself: the same bytes under
/// two paths, or the same program told the same. Empty when it is not.
std::string how_alike(const Record& record, const Candidate& candidate);

/// The note for a contrast that could not be judged on a watched metric.
TrustNote too_few_pairs(const Record& record, const Contrast& contrast, const Metric& metric,
                        std::size_t pairs);

/// How a cell is named in sentences: "heap on orders, locks=800"; without the workload's name when the
/// campaign has but one workload.
std::string name_of(const Record& record, CellId cell);

}  // namespace assay::judge
