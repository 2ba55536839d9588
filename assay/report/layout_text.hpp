#pragma once

#include <string>

#include "assay/model/note.hpp"

namespace assay::report {

/// The words of a note on layouts: how far they move a metric, what that means for a change, and whose could
/// not be varied.
std::string layout_text(const Note& note, const std::string& metric);

}  // namespace assay::report
