#pragma once

#include <string>

#include "assay/render/text.hpp"
#include "assay/report/overview.hpp"

namespace assay::render {

/// Whether a table has too many entries for a block with a line each.
bool is_wide(const report::Overview& overview);

/// A table with candidates as rows, sign and change. As many columns stand beside each other as fit; the
/// others follow below. `heading` stands above it.
std::string matrix_text(const report::Overview& overview, const std::string& heading, const TextStyle& style);

}  // namespace assay::render
