#pragma once

#include <nlohmann/json_fwd.hpp>
#include <optional>

#include "assay/model/results.hpp"

namespace assay::render {

// Parts of the findings document. Included by this module's own sources only.

/// A number, and null for one that is not finite or not there.
nlohmann::ordered_json finite(double value);
nlohmann::ordered_json perhaps(const std::optional<double>& value);

nlohmann::ordered_json note_json(const Design& design, const Note& note);

/// A finding as docs/findings.schema.json has it.
nlohmann::ordered_json finding_json(const Findings& all, const Finding& finding);

}  // namespace assay::render
