#pragma once

#include <string>
#include <vector>

#include "assay/model/finding.hpp"
#include "assay/model/results.hpp"

namespace assay::report {

/// A note in words: what it is about, and a clause without a full stop.
struct LabelledText {
  std::string label, text;
};
LabelledText note_text(const Design& design, const Note& note);

/// The words of a note on layouts: how far they move a metric, what that means for a change, and whose could
/// not be varied.
std::string layout_text(const Note& note, const std::string& metric);

/// The words of a note on a twin that was called: "wall time of this copy of the baseline was called worse
/// (+2.1 %) again in 10 fresh rounds (…)".
std::string twin_text(const Note& note, const std::string& metric);

/// That this machine tells a program from its own copy, printed before all else; empty when it does not.
std::string bad_twin_text(const Findings& findings);

/// A gate's reason in words.
LabelledText note_text(const Design& design, const GateReason& reason);

}  // namespace assay::report
