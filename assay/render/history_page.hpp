#pragma once

#include <string>

#include "assay/model/history.hpp"

namespace assay::render {

/// A history as a page that opens from disk: what is said of each line, a chart, a table of steps and one of
/// commits. Names and addresses of authors are not in it.
std::string to_page(const History& history);

}  // namespace assay::render
