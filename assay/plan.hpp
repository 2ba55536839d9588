#pragma once

/// Reads, checks, narrows and writes plan files (docs/plan-file.md).

#include "assay/model/quantity.hpp"
#include "assay/plan/matrix.hpp"
#include "assay/plan/narrow.hpp"
#include "assay/plan/placeholders.hpp"
#include "assay/plan/project.hpp"
#include "assay/plan/read.hpp"
#include "assay/plan/validate.hpp"
#include "assay/plan/write.hpp"

namespace assay {

using model::Plan;

/// See plan::read_file.
inline Plan read_plan(const std::string& path) { return plan::read_file(path); }

}  // namespace assay
