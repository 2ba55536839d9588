#pragma once

#include <string>

#include "assay/model/plan.hpp"

namespace assay::plan {

/// All that defines a workload, as text: equal texts are the same work.
std::string canonical_text(const PlannedWorkload& workload);

/// The plan in the plan file's language: read() gives the same plan back. Comments are not kept.
std::string to_toml(const Plan& plan);

}  // namespace assay::plan
