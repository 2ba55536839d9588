#pragma once

#include <array>
#include <string>
#include <string_view>

#include "assay/render/text.hpp"
#include "assay/report/report.hpp"

namespace assay::render {

/// A block: every setting's baseline and candidates, their typical values, changes and intervals on one axis.
std::string block_text(const report::ComparisonTable& block, bool names_workload, const TextStyle& style);

/// All terminal codes that are ever written: for what is better, for what is worse, and the end of a colour.
inline constexpr std::array<std::string_view, 3> terminal_codes = {"\x1b[34m", "\x1b[38;5;166m", "\x1b[0m"};

/// A text in a verdict's colour.
std::string in_colour_of(Verdict verdict, const std::string& text);

}  // namespace assay::render
