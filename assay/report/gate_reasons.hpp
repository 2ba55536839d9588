#pragma once

#include "assay/model/gate.hpp"
#include "assay/report/notes.hpp"

namespace assay::report {

/// A gate's reason in words.
LabelledText note_text(const Design& design, const GateReason& reason);

}  // namespace assay::report
