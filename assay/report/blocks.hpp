#pragma once

#include <vector>

#include "assay/report/report.hpp"

namespace assay::report {

/// A block for each workload and watched metric on which something was compared.
std::vector<ComparisonTable> comparison_tables(const Findings& findings);

/// The views of the whole: of each watched metric with more than one column and two candidates.
std::vector<MatrixView> matrix_views(const Findings& findings);

}  // namespace assay::report
