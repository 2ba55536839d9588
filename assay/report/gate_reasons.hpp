#pragma once

#include "assay/model/gate.hpp"
#include "assay/report/notes.hpp"

namespace assay::inline v1::report {

/// A gate's reason in words.
Worded worded(const Design& design, const GateReason& reason);

}  // namespace assay::inline v1::report
