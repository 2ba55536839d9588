#pragma once

#include "assay/model/plan.hpp"
#include "assay/plan/refusal.hpp"

namespace assay::plan {

/// The part of validate() that is about metrics: those that the plan defines, and those that it watches.
void validate_metrics(const Plan& plan, const PlanErrors& refusal);

}  // namespace assay::plan
