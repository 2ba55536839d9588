#include "assay/check/output.hpp"

#include <fmt/format.h>
#include <re2/re2.h>

#include <algorithm>
#include <cctype>
#include <charconv>
#include <cmath>
#include <cstdint>

#include "assay/model/text.hpp"

namespace assay::check {
namespace {

std::string_view line_at(std::string_view text, std::size_t start) {
  return start > text.size() ? std::string_view{} : text.substr(start, text.find('\n', start) - start);
}

std::string quoted(std::string_view text, std::size_t start) {
  if (start >= text.size()) return "the end of the output";
  return "\"" + printable_line(line_at(text, start)) + "\"";
}

}  // namespace

bool is_binary(std::string_view output) {
  constexpr std::size_t enough = 8192, longest_character = 4;
  auto head = output.substr(0, enough);
  while (!head.empty()) {
    const auto length = utf8_length(head);
    if (head.front() == '\0') return true;
    if (length == 0)
      return output.size() <= enough || head.size() >= longest_character;  // else it was cut there
    head.remove_prefix(length);
  }
  return false;
}

std::string output_summary(std::string_view output) {
  if (output.empty()) return "which is empty";
  if (is_binary(output)) return fmt::format("which is binary ({} bytes)", output.size());
  return "which begins \"" + printable_line(line_at(output, 0)) + "\"";
}

std::string first_difference(const Output& answer, const Output& expected) {
  const auto text = answer.out, other = expected.out;
  const auto [a, b] = std::ranges::mismatch(text, other);
  const auto at = static_cast<std::size_t>(a - text.begin());
  if (!(answer.whole && expected.whole) && (a == text.end() || b == other.end())) return {};
  if (is_binary(text) || is_binary(other))
    return fmt::format("binary, {} bytes, expected {}, from byte {} on", answer.size, expected.size, at + 1);
  const auto head = text.substr(0, at);
  const auto number = std::ranges::count(head, '\n') + 1;
  const auto start = head.rfind('\n') == std::string_view::npos ? 0 : head.rfind('\n') + 1;
  return "line " + std::to_string(number) + ": " + quoted(text, start) + ", expected " + quoted(other, start);
}

std::optional<std::string> check_output(const OutputCheck& check, const Output& answer,
                                        const std::optional<Output>& expected) {
  if (!check.match.empty()) {
    const RE2 pattern("(?m)" + check.match, RE2::Quiet);
    if (!RE2::PartialMatch(re2::StringPiece(answer.out.data(), answer.out.size()), pattern))
      return answer.out.empty()
                 ? "nothing on standard output; \"" + check.match + "\" must occur in it"
                 : "\"" + check.match + "\" does not occur in its output, " + output_summary(answer.out);
  }
  if (answer.size < check.min_size)
    return "its output has " + std::to_string(answer.size) + " bytes, at least " +
           std::to_string(check.min_size) + " are expected";
  const bool compared = check.equal == "stdout" || !check.file.empty();
  if (compared && expected && answer.digest != expected->digest) {
    const bool whole = answer.whole && expected->whole;
    if (check.tolerance > 0 && whole && equal_within(answer.out, expected->out, check.tolerance)) return {};
    const auto where = first_difference(answer, *expected);
    return "its output is not " + (check.file.empty() ? "the baseline's" : "that of " + check.file) +
           (where.empty() ? std::string{} : ": " + where);
  }
  return {};
}

bool equal_within(std::string_view text, std::string_view expected, double tolerance) {
  const auto number_at = [](std::string_view from, double& value) -> std::size_t {
    const auto [end, code] = std::from_chars(from.data(), from.data() + from.size(), value);
    // One beyond what a double holds is compared letter by letter.
    return code == std::errc{} ? static_cast<std::size_t>(end - from.data()) : 0;
  };
  const auto in_word = [](char c) { return std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '_'; };
  bool inside = false;  // a word, whose digits are part of its name
  while (!text.empty() && !expected.empty()) {
    double a = 0, b = 0;
    const auto mine = inside ? 0 : number_at(text, a), its = inside ? 0 : number_at(expected, b);
    if (mine > 0 && its > 0) {
      const bool equal = a == b || (std::isnan(a) && std::isnan(b));
      if (!equal && !(std::abs(a - b) <= tolerance * std::abs(b))) return false;
      text.remove_prefix(mine);
      expected.remove_prefix(its);
      continue;
    }
    if (text.front() != expected.front()) return false;
    inside = in_word(text.front());
    text.remove_prefix(1);
    expected.remove_prefix(1);
  }
  return text.empty() && expected.empty();
}

bool accepts_empty_output(const OutputCheck& check) {
  return check.min_size == 0 && check.file.empty() && check.program.empty() &&
         (check.match.empty() || RE2::PartialMatch("", "(?m)" + check.match));
}

}  // namespace assay::check
