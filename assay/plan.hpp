#pragma once

/// Reads, checks, narrows and writes plan files (docs/plan-file.md).

#include "assay/model/text.hpp"
#include "assay/plan/cells.hpp"
#include "assay/plan/plan_file.hpp"
#include "assay/plan/project_detection.hpp"

namespace assay {

using model::Plan;

/// See plan::read_file.
inline Plan read_plan(const std::string& path) { return plan::read_file(path); }

}  // namespace assay
