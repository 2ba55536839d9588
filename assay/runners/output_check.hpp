#pragma once

#include <optional>
#include <stop_token>
#include <string>
#include <string_view>

#include "assay/check/output.hpp"
#include "assay/measure/process.hpp"
#include "assay/runners/program_runner.hpp"

namespace assay::runners {

/// What a plan's own checker says against an answer, which it gets as its standard input, in the plan's
/// folder; empty when it ends with status 0, or there is none. Ended by a stop request, it has nothing to
/// say.
std::optional<std::string> run_checker(measure::Launcher& launcher, const ProgramCell& cell,
                                       const check::Output& answer, const std::stop_token& stop);

}  // namespace assay::runners
