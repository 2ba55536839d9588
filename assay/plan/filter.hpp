#pragma once

#include "assay/model/cell_filter.hpp"
#include "assay/model/plan.hpp"

namespace assay::plan {

/// Restricts a valid plan to the cells that are chosen: takes out workloads, levels of factors, and
/// candidates, but keeps each baseline that those left are held against. Throws Error that names --only for a
/// name or value the plan does not have, and when nothing is left to compare.
void filter_plan(Plan& plan, const CellFilter& only);

}  // namespace assay::plan
