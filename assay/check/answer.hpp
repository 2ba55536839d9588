#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

#include "assay/model/plan.hpp"

namespace assay::inline v1::check {

/// What a trial answered, as far as a check can see it.
struct Answer {
  std::string_view out;    ///< standard output, or its beginning when it was too long to keep
  bool whole = true;       ///< `out` is all of it
  std::string digest;      ///< of all of it
  std::uint64_t size = 0;  ///< of all of it, in bytes
};

/// Why `answer` is not right, in words; empty when it is. With `check.equal`, `expected` is the baseline's
/// answer; a baseline has none. With `check.file` it is the content of that file. Else `expected` is not
/// looked at. The exit status and the user's own checker are not this function's matter. Cost: linear in the
/// output.
std::optional<std::string> what_is_wrong(const AnswerCheck& check, const Answer& answer,
                                         const std::optional<Answer>& expected);

/// Whether two texts are the same but for numbers that differ by no more than `tolerance` times the expected
/// one. Numbers are those that std::from_chars reads where a word begins; everything between them must be the
/// same. Cost: linear.
bool near_enough(std::string_view text, std::string_view expected, double tolerance);

/// Whether the check, apart from equality with a baseline, would let an empty answer pass.
bool passes_on_nothing(const AnswerCheck& check);

/// The first line in which two texts differ, with both readings: `line 3: "total 17", expected "total 18"`.
/// Empty when one is the beginning of the other and `whole` is false, since the difference is out of sight.
std::string first_difference(std::string_view text, std::string_view expected, bool whole = true);

/// A line of a program's output made safe to print: control characters and bytes that are not UTF-8 as `?`,
/// cut after `most` characters with "…".
std::string printable_line(std::string_view line, std::size_t most = 60);

}  // namespace assay::inline v1::check
