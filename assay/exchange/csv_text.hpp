#pragma once

#include <string>
#include <string_view>

namespace assay::exchange {

/// A text as a field of CSV: in quotes where it has to be, and after an apostrophe where a spreadsheet would
/// take it for a formula (it begins with = + - @, a tab or an apostrophe).
std::string csv_field(const std::string& text);

/// The text that such a field stands for, its quotes taken off already: without that apostrophe.
std::string_view csv_text(std::string_view field);

}  // namespace assay::exchange
