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

}  // namespace assay::inline v1::report
