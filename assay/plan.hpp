#pragma once

/// Reads, checks, narrows and writes plan files (docs/plan-file.md).

#include "assay/model/units.hpp"
#include "assay/plan/cells.hpp"
#include "assay/plan/filter.hpp"
#include "assay/plan/placeholders.hpp"
#include "assay/plan/project_detection.hpp"
#include "assay/plan/read.hpp"
#include "assay/plan/validate.hpp"
#include "assay/plan/write.hpp"

namespace assay {

using model::Plan;

/// See plan::read_file.
inline Plan read_plan(const std::string& path) { return plan::read_file(path); }

}  // namespace assay
