#pragma once

#include <string>
#include <vector>

#include "assay/model/findings.hpp"

namespace assay::report {

/// Where some of a candidate's findings lie among all of it on a metric, as briefly as it is exact: "at 800
/// locks", "from 800 locks on", "up to 200 locks", "on orders", "on orders, locks=200"; empty where it takes
/// more words than a count. `some` are of `all_of_it`, and not all.
std::string location_phrase(const Findings& findings, const std::vector<const Finding*>& some,
                            const std::vector<const Finding*>& all_of_it);

}  // namespace assay::report
