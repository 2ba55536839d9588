#pragma once

#include <string>

#include "assay/model/located.hpp"

namespace assay::render {

/// What came of a search for a commit, for a terminal. Ends with a newline.
std::string to_text(const CommitSearchResult& located);

/// The same as a JSON document (docs/history.schema.json). Ends with a newline.
std::string to_json(const CommitSearchResult& located);

}  // namespace assay::render
