#pragma once

#include <string>

#include "assay/model/design.hpp"
#include "assay/model/outlook.hpp"

namespace assay::inline v1::report {

/// What can be expected of a campaign, in sentences, a line each: cells, time and the twins' share of it; how
/// small a change can be settled; and a warning when the margin can't. `design` names the cells.
std::string outlook_lines(const Outlook& outlook, const Design& design);

/// The same, with a line for each finding to come.
std::string to_text(const Outlook& outlook, const Design& design);

}  // namespace assay::inline v1::report
