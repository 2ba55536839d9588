#pragma once

#include <string>
#include <vector>

#include "assay/model/findings.hpp"

namespace assay::report {

/// What is said in place of a block of these findings on one metric, where others on the machine make it say
/// little and another metric decides all that is decided: "wall time: see cpu time, …". Empty where it stands
/// for itself.
std::string cross_reference(const Findings& findings, const std::vector<const Finding*>& of_block);

}  // namespace assay::report
