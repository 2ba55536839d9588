#pragma once

#include <functional>
#include <map>
#include <memory>
#include <stop_token>
#include <string>
#include <vector>

#include "assay/measure/process.hpp"
#include "assay/model/design.hpp"
#include "assay/model/log.hpp"
#include "assay/model/plan.hpp"
#include "assay/plan/cells.hpp"
#include "assay/relink/layout_set.hpp"
#include "assay/runners/capabilities.hpp"
#include "assay/runners/program_runner.hpp"
#include "assay/runners/server_cell.hpp"
#include "assay/setup/candidate_builds.hpp"
#include "assay/setup/run_plan.hpp"

namespace assay::setup {

/// A campaign before anything has run: its record, and for each cell what it takes to run it.
struct PreparedCells {
  Record record;  ///< without a session
  IdTable<CellId, runners::ProgramCell> cells;
  std::map<CellId, runners::ServerCell> services;  ///< those that are servers
};

/// Lays a plan down whose builds are done: expands the cells, gives each baseline its twin, finds every
/// program and input file, and asks each candidate who it is. Cells that can't be run for want of a build,
/// and candidates that say that they are absent or fail to say who they are, have their status. Throws
/// Error for programs and files that are not there.
PreparedCells prepare_cells(const Plan& plan, const CandidateBuilds& builds, measure::Launcher& launcher,
                            const runners::Capabilities& offer, const RunOptions& options);

/// How a candidate stands once it was asked who it is: sound, with the first line of its answer as detail;
/// absent where it ends with the status that says so; failed where it gives no answer.
///
/// `identify` is a command that says it; the other form starts the cell's server and asks for a path.
CellStatus query_identity(const std::vector<std::string>& identify, const std::string& folder,
                          measure::Launcher& launcher, const std::stop_token& stop);
CellStatus query_server_identity(const runners::ServerCell& cell, const std::string& path,
                                 measure::Launcher& launcher, const std::stop_token& stop);

/// Puts the parts of each contest program, as one run of each candidate's tells them, in place of its cell:
/// in `laid`, in `planned` and in `states`, whose ids go together. Parts that only some candidates have are
/// absent in the others once they are checked; metrics that samples tell join the design's. Returns how many
/// programs were taken apart. Throws Error for a watched metric that nobody tells, Cancelled on a stop request.
int expand_function_workloads(const Plan& plan, const RunOptions& options, measure::Launcher& launcher,
                              PreparedCells& laid, plan::PlannedCells& planned,
                              IdTable<CellId, CellStatus>& states);

/// The layouts of a plan's programs that are to be linked anew, with what is compared in groups of common
/// ones, and what became of it in `design`: its rules and its builds. Throws as Layouts' constructor does.
/// REQUIRES: `launcher` outlives what it returns.
std::unique_ptr<relink::LayoutSet> prepare_layouts(const Plan& plan,
                                                   const IdTable<CellId, runners::ProgramCell>& cells,
                                                   Design& design, measure::Launcher& launcher,
                                                   const std::function<void(const std::string&)>& log,
                                                   const std::stop_token& stop);

}  // namespace assay::setup
