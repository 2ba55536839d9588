#pragma once

#include <string>
#include <vector>

#include "assay/model/findings.hpp"

namespace assay::report {

/// Up to which level of a factor that has numbers for levels each candidate's server sustains its rate of
/// requests, a line for each workload and choice of the other factors; none where all sustain all.
std::vector<std::string> sustained_lines(const Findings& all);

}  // namespace assay::report
