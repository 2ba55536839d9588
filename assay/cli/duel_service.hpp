#pragma once

#include "assay/cli/duel_plan.hpp"
#include "assay/plan.hpp"

namespace assay::inline v1::cli {

/// The workload of a duel between servers: the plan's candidates start them, and the word PORT in their
/// commands becomes ${port}. Throws Error that names the option.
PlannedWorkload service_of_duel(const DuelAsked& asked, Plan& plan);

}  // namespace assay::inline v1::cli
