#pragma once

#include <vector>

#include "assay/model/observations.hpp"
#include "assay/model/results.hpp"

namespace assay::judge {

/// How watched metrics go with every factor of sizes (cost: the ratio-scaled ones where less is better) or of
/// threads (throughput, or its inverse: time per call of each thread in a contest, else time of a job that
/// they share), for each candidate, workload and choice of the other levels with at least three levels
/// measured. Twins are left out.
///
/// Over sizes: a power law through the medians with the exponent's interval, the law of growth where it is
/// clear (and its own exponent at these sizes lies within that interval), and the size at which the
/// candidate costs what its baseline does, when that lies within a factor of ten of the sizes measured. Over
/// threads: the universal scalability law, the knee (where each thread beyond gains less than half of what
/// each before did), and the plateau: the first level beyond which no level measured does more than the
/// margin better, by medians.
///
/// Source: see stats/fit.hpp.
std::vector<ScalingCurve> fit_scaling(const Observations& evidence);

}  // namespace assay::judge
