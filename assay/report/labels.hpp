#pragma once

#include <string>

#include "assay/model/design.hpp"
#include "assay/model/finding.hpp"

namespace assay::report {

/// How a cell is named in sentences: "heap on orders, locks=800"; without the workload's name when the
/// campaign has but one workload.
std::string cell_label(const Design& design, CellId cell);

/// Where a cell is measured: "orders, locks=800"; without the workload's name when there is but one.
std::string place_label(const Design& design, const Cell& cell);

/// What a note or a reason is about.
std::string subject_label(const Design& design, const Subject& subject);

/// `+` better, `!` worse, `=` same, `?` unclear.
std::string sign_of(Verdict verdict);

}  // namespace assay::report
