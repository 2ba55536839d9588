#pragma once

#include <cstddef>
#include <cstdint>
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

/// Bytes as two digits each, in lower case.
std::string hexadecimal(std::string_view bytes);

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

/// Reads a duration with its unit (`90 s`, `1.5 min`, `200 ms`, `2h`) and returns seconds. Positive only.
/// Throws Error (without a place) that says what was expected.
double parse_duration(const std::string& text);

/// Reads a share with its per-cent sign (`1 %`, `0.5%`) and returns it as a number (0.01). From 0 to below
/// 1000 %. Throws Error (without a place).
double parse_percent(const std::string& text);

/// Reads an amount of memory with its unit (`64 MiB`, `1.5 GiB`, `500 kB`, `4096 B`) and returns whole bytes,
/// from 1 to below 2^62. Throws Error (without a place).
std::uint64_t parse_bytes(const std::string& text);

/// The same the other way, in a form that the parser reads back to the same value.
std::string duration_text(double seconds);
std::string percent_text(double share);
std::string bytes_text(std::uint64_t bytes);

}  // namespace assay::model
