#pragma once

#include <map>

#include "assay/campaign/carry_out.hpp"
#include "assay/campaign/offer.hpp"
#include "assay/campaign/processes.hpp"
#include "assay/campaign/service_cell.hpp"
#include "assay/campaign/workshop.hpp"
#include "assay/model/log.hpp"
#include "assay/model/plan.hpp"

namespace assay::inline v1::campaign {

/// A campaign before anything has run: its record, and for each cell what it takes to run it.
struct LaidDown {
  Record record;  ///< without a sitting
  Table<CellId, ProcessCell> cells;
  std::map<CellId, ServiceCell> services;  ///< those that are servers
};

/// Lays a plan down whose builds are done: expands the cells, gives each baseline its twin, finds every
/// program and input file, and asks each candidate who it is. Cells that can't be run for want of a build,
/// and candidates that say that they are absent or fail to say who they are, have their standing. Throws
/// Error for programs and files that are not there.
LaidDown lay_down(const Plan& plan, const Workshop& workshop, measure::Launcher& launcher, const Offer& offer,
                  const Options& options);

}  // namespace assay::inline v1::campaign
