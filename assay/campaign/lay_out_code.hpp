#pragma once

#include <functional>
#include <memory>
#include <stop_token>
#include <string>

#include "assay/campaign/layouts.hpp"
#include "assay/campaign/processes.hpp"
#include "assay/model/plan.hpp"

namespace assay::campaign {

/// The layouts of a plan's programs that are to be linked anew, with what is compared in groups of common
/// ones, and what became of it in `design`: its rules and its builds. Throws as Layouts' constructor does.
/// REQUIRES: `launcher` outlives what it returns.
std::unique_ptr<LayoutSet> prepare_layouts(const Plan& plan, const IdTable<CellId, ProgramCell>& cells,
                                           Design& design, measure::Launcher& launcher,
                                           const std::function<void(const std::string&)>& log,
                                           const std::stop_token& stop);

}  // namespace assay::campaign
