#pragma once

#include <cstddef>
#include <span>
#include <string>
#include <string_view>

#include "assay/model/visible.hpp"

namespace assay::model {

/// The one of `known` that `word` was probably meant to be: the nearest by insertions, deletions, changes and
/// swaps of neighbouring letters, if no more than a third of the word (at least one, at most three) is off.
/// Empty when none is near. Case is ignored. Cost: length² per known word.
///
/// Source: optimal string alignment distance (Damerau 1964).
std::string closest_match(const std::string& word, std::span<const std::string> known);

/// The remedy of an error about an unknown word: the near miss, or else what is known.
std::string did_you_mean(const std::string& word, std::span<const std::string> known);

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
