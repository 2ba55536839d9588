#pragma once

#include <string>

#include "assay/model/results.hpp"

namespace assay::render {

/// Findings as a comment on a change: a sentence for each candidate, a table of what is watched, and the rest
/// folded away. GitHub's and GitLab's dialect; names are escaped. `gate`: its answer comes first; nullptr:
/// there is none.
std::string to_markdown(const Findings& findings, const GateResult* gate = nullptr);

}  // namespace assay::render
