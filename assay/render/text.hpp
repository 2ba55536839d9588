#pragma once

#include <cstddef>
#include <string>

#include "assay/model/results.hpp"

namespace assay::render {

/// How text for a terminal is set.
struct TextStyle {
  bool colour = false;     ///< better blue, worse orange; signs say the same without
  bool profile = false;    ///< all metrics besides, see profile_text()
  bool all_notes = false;  ///< every note by itself; else one line for each kind, five at most
};

/// Findings for reading: a sentence per candidate, then a block for each workload and watched metric with the
/// intervals on one axis, then what weakens the findings. At most 100 columns, apart from names and commands
/// that are longer by themselves. Ends with a newline.
std::string to_text(const Findings& findings, const TextStyle& style = {});

}  // namespace assay::render
