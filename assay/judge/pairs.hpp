#pragma once

#include <map>

#include "assay/judge/settle.hpp"
#include "assay/model/campaign.hpp"
#include "assay/model/evidence.hpp"

namespace assay::judge {

/// The values of a metric by cell and round.
using ByCell = std::map<CellId, std::map<int, double>>;
ByCell by_cell(const Evidence& evidence);

/// The rounds in which both cells of a contrast have a value. Cost: linear in the rounds.
PairedSeries pair_up(const Contrast& of, const ByCell& values);

/// How many hardware cores the first sitting's machine has, from its facts; 1 when they don't tell.
double cores_of(const Record& record);

}  // namespace assay::judge
