#pragma once

#include <cstddef>
#include <set>
#include <span>
#include <vector>

#include "assay/model/finding.hpp"
#include "assay/model/observations.hpp"
#include "assay/model/results.hpp"

namespace assay::judge {

/// The rounds in which a twin that was called runs again: enough to tell, few enough not to be felt.
inline constexpr int confirming_rounds = 10;

/// The twins that are called better or worse among `findings` and have not yet had confirming_rounds since:
/// one in twenty is called by chance, so fresh rounds are to say whether it was.
std::set<Comparison> aa_to_confirm(const Observations& evidence, std::span<const Finding> findings);

/// A note for each twin called on a watched metric: a warning where its fresh rounds, the first
/// confirming_rounds after the call, call it the same way (by judge_paired()) or it is one of an exact
/// metric.
std::vector<Note> aa_notes(const Observations& evidence, std::span<const Finding> findings);

}  // namespace assay::judge
