#pragma once

#include <string>
#include <vector>

#include "assay/model/findings.hpp"

namespace assay::report {

/// What it would take to settle an unclear finding: by how many rounds, and how long, the odds are even, with
/// the command that measures them, or why no number of rounds would do. Empty for a finding that is settled.
std::string rounds_needed_text(const Findings& all, const Finding& finding);

/// What would settle the unclear ones among these findings on one metric sooner than more rounds: running
/// abreast, a wider margin, longer runs, as far as each fits them. Empty where none does, or none is unclear.
std::string advice_text(const Findings& all, const std::vector<const Finding*>& findings);

}  // namespace assay::report
