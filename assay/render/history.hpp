#pragma once

#include <string>

#include "assay/model/history.hpp"

namespace assay::render {

/// A history for a terminal: for each line a chart of its points over the commits, its steps as sentences,
/// and what weakens it. At most 100 columns, apart from commands. Ends with a newline.
std::string to_text(const History& history);

/// The same as a JSON document (docs/history.schema.json). Ends with a newline.
std::string to_json(const History& history);

/// A history as a page that opens from disk: a text for each line, a chart, a table of steps and one of
/// commits. Names and addresses of authors are not in it.
std::string to_page(const History& history);

/// What came of a search for a commit, for a terminal. Ends with a newline.
std::string to_text(const CommitSearchResult& located);

/// The same as a JSON document (docs/history.schema.json). Ends with a newline.
std::string to_json(const CommitSearchResult& located);

}  // namespace assay::render
