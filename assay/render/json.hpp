#pragma once

#include <string>

#include "assay/model/results.hpp"

namespace assay::render {

/// The findings document (docs/findings.schema.json), format 3. An interval end that is infinite is null.
/// Ends with a newline.
std::string to_json(const Findings& findings);

}  // namespace assay::render
