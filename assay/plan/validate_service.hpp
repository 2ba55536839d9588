#pragma once

#include <string>

#include "assay/model/plan.hpp"
#include "assay/plan/refusal.hpp"

namespace assay::plan {

/// Refuses what a service's workload can't be: no server for its requests, or none of them, two loops or
/// none, keys that only programs have. `path` is the workload's. Included by this module's own sources only.
void validate_service(const Plan& plan, const PlannedWorkload& workload, const std::string& path,
                      const PlanErrors& refusal);

}  // namespace assay::plan
