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
#include "assay/runners/server_session.hpp"
#include "assay/setup/candidate_builds.hpp"
#include "assay/setup/run_plan.hpp"

namespace assay::setup {

/// A campaign before anything has run: its record, and for each cell what it takes to run it.
struct PreparedCells {
  Record record;  ///< without a session
  IdTable<CellId, runners::ProgramCell> cells;
  std::map<CellId, runners::ServerCell> services;  ///< those that are servers
};

/// Turns a plan whose builds are finished into cells that can run: expands cells, adds A/A copies, finds
/// programs and input files, queries identities. Cells that cannot run get a status other than ok. Throws
/// Error for programs and files that are not there.
PreparedCells prepare_cells(const Plan& plan, const CandidateBuilds& builds, measure::Launcher& launcher,
                            const runners::Capabilities& offer, const RunOptions& run,
                            const PlanOptions& options);

/// Runs a candidate's `identify` command, or starts the cell's server and gets `path`. Returns ok with the
/// first output line, `unsupported` on exit status 77, `failed` otherwise.
CellStatus query_identity(const std::vector<std::string>& identify, const std::string& folder,
                          measure::Launcher& launcher, const std::stop_token& stop);
CellStatus query_server_identity(const runners::ServerCell& cell, const std::string& path,
                                 measure::Launcher& launcher, const std::stop_token& stop);

/// Replaces the cell of each contest program by one cell for each of its functions, as a run of each
/// candidate reports them: in `laid`, `planned` and `states`, whose ids go together. Functions that only some
/// candidates have become unsupported in the others. Metrics of the samples join the design's. Returns how
/// many programs were expanded. Throws Error for a watched metric that no sample has, Cancelled on a stop
/// request.
int expand_function_workloads(const Plan& plan, const std::stop_token& stop, measure::Launcher& launcher,
                              PreparedCells& laid, plan::PlannedCells& planned,
                              IdTable<CellId, CellStatus>& states);

/// The layouts of the programs that are linked again in each round. Programs that are compared share
/// addresses. Sets the design's rules and builds accordingly. Throws as LayoutSet's constructor does.
/// REQUIRES: `launcher` outlives what it returns.
std::unique_ptr<relink::LayoutSet> prepare_layouts(const Plan& plan,
                                                   const IdTable<CellId, runners::ProgramCell>& cells,
                                                   Design& design, measure::Launcher& launcher,
                                                   const std::function<void(const std::string&)>& log,
                                                   const std::stop_token& stop);

}  // namespace assay::setup
