#pragma once

#include <string>

#include "assay/model/plan.hpp"

namespace assay::inline v1::plan {

/// All that defines a workload, as text: equal texts are the same work.
std::string definition_of(const PlannedWorkload& workload);

/// The plan in the plan file's language: read() gives the same plan back. Comments are not kept.
std::string to_toml(const Plan& plan);

}  // namespace assay::inline v1::plan
