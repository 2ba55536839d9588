#pragma once

/// Reads, checks and writes plan files (docs/plan-file.md).

#include "assay/plan/matrix.hpp"
#include "assay/plan/read.hpp"
#include "assay/plan/validate.hpp"

namespace assay {

/// See plan::read_file.
inline Plan read_plan(const std::string& path) { return plan::read_file(path); }

}  // namespace assay
