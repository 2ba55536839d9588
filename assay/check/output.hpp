#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

#include "assay/model/plan.hpp"

namespace assay::check {

/// What a trial answered, as far as a check can see it.
struct Output {
  std::string_view out;    ///< standard output, or its beginning when it was too long to keep
  bool whole = true;       ///< `out` is all of it
  std::string digest;      ///< of all of it
  std::uint64_t size = 0;  ///< of all of it, in bytes
};

/// Why `answer` is not right, in words; empty when it is. With `check.equal`, `expected` is the baseline's
/// answer; a baseline has none. With `check.file` it is the content of that file. Else `expected` is not
/// looked at. The exit status and the user's own checker are not this function's matter. Cost: linear in the
/// output.
std::optional<std::string> check_output(const OutputCheck& check, const Output& answer,
                                        const std::optional<Output>& expected);

/// Whether two texts are the same but for numbers that differ by no more than `tolerance` times the expected
/// one. Numbers are those that std::from_chars reads where a word begins; everything between them must be the
/// same. Cost: linear.
bool equal_within(std::string_view text, std::string_view expected, double tolerance);

/// Whether the check, apart from equality with a baseline, would let an empty answer pass.
bool accepts_empty_output(const OutputCheck& check);

/// Whether a program's output is no text to be shown: its first 8 KiB hold a NUL, or bytes that are no UTF-8.
bool is_binary(std::string_view output);

/// The first line of an output as a message quotes it: `which begins "total 17"`, `which is empty`, `which is
/// binary (4096 bytes)`.
std::string output_summary(std::string_view output);

/// Where two answers differ: the first line that does, with both readings, `line 3: "total 17", expected
/// "total 18"`; of binary ones their lengths and the first byte that does, `binary, 512 bytes, expected 500,
/// from byte 17 on`. Empty when what was kept of one is the beginning of the other and not all of it was
/// kept, since the difference is out of sight.
std::string first_difference(const Output& answer, const Output& expected);

}  // namespace assay::check
