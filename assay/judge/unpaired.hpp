#pragma once

#include <vector>

#include "assay/model/observations.hpp"
#include "assay/model/results.hpp"

namespace assay::judge {

/// Judges the comparisons of watched metrics whose trials have no rounds, as of samples measured elsewhere:
/// Mann–Whitney (exact with ties for small samples), the Hodges–Lehmann shift (of logarithms on a ratio
/// scale) with the interval of the same test, Benjamini–Hochberg over the metric's comparisons, intervals at
/// the level that goes with it (Benjamini & Yekutieli 2005). Nothing ran side by side, so whatever changed
/// between the two is in the difference: the verdict is `differs`, never better or worse, or `same` where the
/// interval lies inside the margin. Each finding carries a note of that, and one where Brunner–Munzel says
/// otherwise. At least three values on each side.
std::vector<Finding> judge_unpaired(const Observations& evidence);

}  // namespace assay::judge
