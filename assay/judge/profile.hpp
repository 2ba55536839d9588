#pragma once

#include <vector>

#include "assay/model/finding.hpp"
#include "assay/model/observations.hpp"

namespace assay::judge {

/// Typical values of both sides of every sound comparison but the twins', on every metric of the work that both
/// have values of, whether it is judged or not. A line takes its effect from the finding of its metric where
/// `findings` has one. Of metrics without a better side a change is significant that is above 5 % and that the
/// paired test at a level of 95 % calls (at least 6 rounds). Where both sides are 0 there is no line.
///
/// Cost: linear in the values, and a test for each such change.
std::vector<ProfileLine> make_profile(const Observations& evidence, const std::vector<Finding>& findings);

}  // namespace assay::judge
