#pragma once

#include <string>

#include "assay/model/findings.hpp"

namespace assay::inline v1::report {

/// What it would take to settle an unclear finding: by how many rounds, and how long, the odds are even, with
/// the command that measures them, or why no number of rounds would do. Empty for a finding that is settled.
std::string settle_text(const Findings& all, const Finding& finding);

}  // namespace assay::inline v1::report
