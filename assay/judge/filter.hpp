#pragma once

#include "assay/model/cell_filter.hpp"
#include "assay/model/results.hpp"

namespace assay::judge {

/// Whether a cell is among those chosen.
bool matches(const Design& design, const Cell& cell, const CellFilter& only);

/// Takes what is not chosen out of findings that were judged together, the notes about it too: verdicts stay
/// those of the whole. Throws Error that names --only when nothing is left.
void filter_results(Findings& findings, const CellFilter& only);

}  // namespace assay::judge
