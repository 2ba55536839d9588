#pragma once

#include "assay/model/findings.hpp"
#include "assay/model/only.hpp"

namespace assay::inline v1::judge {

/// Whether a cell is among those chosen.
bool is_chosen(const Design& design, const Cell& cell, const Only& only);

/// Takes what is not chosen out of findings that were judged together, the notes about it too: verdicts stay
/// those of the whole. Throws Error that names --only when nothing is left.
void keep_only(Findings& findings, const Only& only);

}  // namespace assay::inline v1::judge
