#pragma once

#include <optional>
#include <stop_token>
#include <string>
#include <string_view>

#include "assay/campaign/processes.hpp"
#include "assay/check/answer.hpp"
#include "assay/measure/process.hpp"

namespace assay::campaign {

/// What a plan's own checker says against an answer, which it gets as its standard input, in the plan's
/// folder; empty when it ends with status 0, or there is none. Ended by a stop request, it has nothing to
/// say.
std::optional<std::string> run_checker(measure::Launcher& launcher, const ProgramCell& cell,
                                       const check::Output& answer, const std::stop_token& stop);

}  // namespace assay::campaign
