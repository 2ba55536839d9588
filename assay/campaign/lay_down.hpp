#pragma once

#include <map>

#include "assay/campaign/carry_out.hpp"
#include "assay/campaign/offer.hpp"
#include "assay/campaign/processes.hpp"
#include "assay/campaign/service_cell.hpp"
#include "assay/campaign/workshop.hpp"
#include "assay/model/log.hpp"
#include "assay/model/plan.hpp"

namespace assay::campaign {

/// A campaign before anything has run: its record, and for each cell what it takes to run it.
struct PreparedCells {
  Record record;  ///< without a sitting
  IdTable<CellId, ProgramCell> cells;
  std::map<CellId, ServerCell> services;  ///< those that are servers
};

/// Lays a plan down whose builds are done: expands the cells, gives each baseline its twin, finds every
/// program and input file, and asks each candidate who it is. Cells that can't be run for want of a build,
/// and candidates that say that they are absent or fail to say who they are, have their standing. Throws
/// Error for programs and files that are not there.
PreparedCells prepare_cells(const Plan& plan, const CandidateBuilds& workshop, measure::Launcher& launcher,
                            const Capabilities& offer, const RunOptions& options);

}  // namespace assay::campaign
