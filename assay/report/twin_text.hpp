#pragma once

#include <string>

#include "assay/model/findings.hpp"

namespace assay::report {

/// The words of a note on a twin that was called: "wall time of this copy of the baseline was called worse
/// (+2.1 %) again in 10 fresh rounds (…)".
std::string twin_text(const Note& note, const std::string& metric);

/// That this machine tells a program from its own copy, to be said before all else; empty when it does not.
std::string bad_twin_text(const Findings& findings);

}  // namespace assay::report
