#pragma once

#include <cstddef>
#include <string>
#include <string_view>

#include "assay/model/visible.hpp"

namespace assay::model {

/// How many bytes the character at the start of a text takes in UTF-8; 0 where there is none.
std::size_t utf8_length(std::string_view text);

/// The text with `?` for every character that could steer what shows it: control characters other than line
/// breaks and tabs, those that turn the direction of writing, and bytes that are no UTF-8. For names, titles
/// and messages of others on their way to a terminal, XML or Markdown; what is kept is never changed.
std::string printable(std::string_view text);

/// A line of a program's output made safe to print: control characters and bytes that are not UTF-8 as `?`,
/// cut after `most` characters with "…".
std::string printable_line(std::string_view line, std::size_t most = 60);

/// The last six lines of a text, each after a line break, each a printable_line() of 160 characters: the end
/// of a log within a message.
std::string last_lines(std::string_view text);

}  // namespace assay::model
