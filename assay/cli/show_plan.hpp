#pragma once

#include "assay/plan.hpp"

namespace assay::cli {

/// Prints what a plan would build and run, cell by cell; nothing is run.
void show_cells(const Plan& plan);

}  // namespace assay::cli
