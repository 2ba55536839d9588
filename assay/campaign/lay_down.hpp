#pragma once

#include <vector>

#include "assay/campaign/carry_out.hpp"
#include "assay/campaign/metrics.hpp"
#include "assay/campaign/processes.hpp"
#include "assay/campaign/workshop.hpp"
#include "assay/model/campaign.hpp"
#include "assay/model/plan.hpp"

namespace assay::campaign {

/// A campaign before anything has run: its record, and for each cell what it takes to run it.
struct LaidDown {
  Record record;
  std::vector<ProcessCell> cells;
  std::vector<double> build_seconds;  ///< by cell; 0 where nothing was built
};

/// Lays a plan down whose builds are done: expands the cells, gives each baseline its twin, finds every
/// program and input file, and asks each candidate who it is. Cells that can't be run for want of a build,
/// and candidates that say that they are absent or fail to say who they are, have their standing. Throws
/// Error for programs and files that are not there.
LaidDown lay_down(const Plan& plan, const Workshop& workshop, measure::Launcher& launcher, const Offer& offer,
                  const Options& options);

}  // namespace assay::campaign
