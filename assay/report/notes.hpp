#pragma once

#include <string>
#include <vector>

#include "assay/model/findings.hpp"

namespace assay::report {

/// A note in words: what it is about, and a clause without a full stop.
struct LabelledText {
  std::string label, text;
};
LabelledText note_text(const Design& design, const Note& note);

}  // namespace assay::report
