#pragma once

#include <map>

#include "assay/model/observations.hpp"
#include "assay/model/results.hpp"

namespace assay::judge {

/// What is known of each program before it is judged: by checks, warm-up, and pilot rounds in turns. Cells
/// whose wall time or CPU time was not measured are left out. Cost: linear in those trials.
std::map<CellId, ProgramTraits> program_traits(const Observations& evidence);

}  // namespace assay::judge
