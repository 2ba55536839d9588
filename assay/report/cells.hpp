#pragma once

#include <cstddef>
#include <string>

namespace assay::report {

/// How many terminal cells a UTF-8 text takes, each character counted as one.
std::size_t display_width(const std::string& text);

/// Columns of a line of text output.
inline constexpr std::size_t text_width = 100;

/// Breaks a text at spaces, so that lines have text_width columns at most; its own line breaks stay. Lines
/// after the first are indented.
std::string wrap(const std::string& text, std::size_t indent);

/// Text filled with spaces to `width` cells, or cut to it with "…".
std::string pad_right(const std::string& text, std::size_t width);
std::string pad_left(const std::string& text, std::size_t width);

}  // namespace assay::report
