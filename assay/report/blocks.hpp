#pragma once

#include <vector>

#include "assay/report/report.hpp"

namespace assay::inline v1::report {

/// A block for each workload and watched metric on which something was compared.
std::vector<Block> blocks_of(const Findings& findings);

/// The views of the whole: of each watched metric with more than one column and two candidates.
std::vector<WholeView> views_of(const Findings& findings);

}  // namespace assay::inline v1::report
