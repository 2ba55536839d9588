#pragma once

#include <string>

#include "assay/model/history.hpp"

namespace assay::render {

/// A history for a terminal: for each line a chart of its points over the commits, its steps as sentences,
/// and what weakens it. At most 100 columns, apart from commands. Ends with a newline.
std::string to_text(const History& history);

/// The same as a JSON document (docs/history.schema.json). Ends with a newline.
std::string to_json(const History& history);

}  // namespace assay::render
