#pragma once

#include <string>

#include "assay/model/findings.hpp"

namespace assay::render {

/// All metrics of every candidate beside its baseline's, a table for each workload and setting; as many
/// candidates side by side as fit. Ends with a newline; empty where nothing was compared.
std::string profile_text(const Findings& findings);

}  // namespace assay::render
