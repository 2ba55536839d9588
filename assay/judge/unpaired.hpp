#pragma once

#include <vector>

#include "assay/model/evidence.hpp"
#include "assay/model/findings.hpp"

namespace assay::inline v1::judge {

/// Judges the contrasts of watched metrics whose trials have no rounds, as of samples measured elsewhere:
/// Mann–Whitney (exact with ties for small samples), the Hodges–Lehmann shift (of logarithms on a ratio
/// scale) with the interval of the same test, Benjamini–Hochberg over the metric's contrasts; verdicts as for
/// pairs. Nothing ran side by side: each finding carries a note of that, and one where Brunner–Munzel says
/// otherwise. At least three values on each side.
std::vector<Finding> judge_unpaired(const Evidence& evidence);

}  // namespace assay::inline v1::judge
