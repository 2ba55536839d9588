#pragma once

#include "assay/cli/duel_to_plan.hpp"
#include "assay/plan.hpp"

namespace assay::cli {

/// The workload of a duel between servers: the plan's candidates start them, and the word PORT in their
/// commands becomes ${port}. Throws Error that names the option.
PlannedWorkload service_of_duel(const DuelOptions& asked, Plan& plan);

}  // namespace assay::cli
