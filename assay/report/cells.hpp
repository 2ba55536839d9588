#pragma once

#include <cstddef>
#include <string>

namespace assay::inline v1::report {

/// How many terminal cells a UTF-8 text takes, each character counted as one.
std::size_t cells_of(const std::string& text);

/// Columns of a line of text output.
inline constexpr std::size_t text_width = 100;

/// Breaks a text at spaces, so that lines have text_width columns at most; its own line breaks stay. Lines
/// after the first are indented.
std::string wrapped(const std::string& text, std::size_t indent);

/// Text filled with spaces to `width` cells, or cut to it with "…".
std::string left(const std::string& text, std::size_t width);
std::string right(const std::string& text, std::size_t width);

}  // namespace assay::inline v1::report
