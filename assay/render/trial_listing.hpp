#pragma once

#include <string>

#include "assay/model/log.hpp"
#include "assay/model/results.hpp"

namespace assay::render {

/// All trials of each finding's two cells: a strip of dots on a common axis, quantiles, the first trials in
/// the order in which they ran. `record` is what the findings were judged from.
std::string details(const Findings& all, const Record& record);

}  // namespace assay::render
