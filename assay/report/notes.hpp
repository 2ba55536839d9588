#pragma once

#include <string>
#include <vector>

#include "assay/model/findings.hpp"

namespace assay::inline v1::report {

/// A note in words: what it is about, and a clause without a full stop.
struct Worded {
  std::string about, text;
};
Worded worded(const Design& design, const Note& note);

/// That this machine tells a program from its own copy, to be said before all else; empty when it does not.
std::string bad_twin_text(const Findings& findings);

}  // namespace assay::inline v1::report
