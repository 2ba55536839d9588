#pragma once

#include <string>

#include "assay/model/results.hpp"

namespace assay::report {
using namespace model;

/// What machines that ran a finding's rounds show, where they are several: "24 rounds: 9 on machine 1, 7 on 2,
/// 8 on 3; faster on each", how unlike their changes are, or that they disagree. Empty of one machine.
std::string machines_text(const Findings& all, const Finding& finding);

/// Whether the machines show changes of opposite directions, or of unlike size.
bool machines_show_different_changes(const Finding& finding);

}  // namespace assay::report
