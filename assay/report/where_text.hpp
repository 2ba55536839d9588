#pragma once

#include <string>
#include <vector>

#include "assay/model/design.hpp"
#include "assay/model/finding.hpp"
#include "assay/model/where.hpp"

namespace assay::report {

/// The block that says where the CPU time of a comparison has changed: a title, a table of the functions that
/// were named (five at most), of all else and of the whole, and up to two sentences. Figures of a column add up
/// as printed: what is left over by rounding is in "all else".
std::vector<std::string> where_lines(const Where& where, const Design& design);

/// Why no function is named where the sampled rounds contradict what was found before: the interval of the whole
/// change does not touch that of the finding. Empty where they agree.
std::string contradiction_text(const Where& where, const Finding& before, const Metric& metric);

}  // namespace assay::report
