#include "assay/model/printable.hpp"

#include <algorithm>
#include <cstdint>

namespace assay::model {
namespace {

std::uint32_t character(std::string_view bytes) {
  const auto first = static_cast<unsigned char>(bytes[0]);
  std::uint32_t code = bytes.size() == 1 ? first : first & (0x7FU >> bytes.size());
  for (const char c : bytes.substr(1)) code = code << 6U | (static_cast<unsigned char>(c) & 0x3FU);
  return code;
}

bool steers(std::uint32_t code) {
  if (code == '\n' || code == '\t') return false;
  const bool control = code < 0x20 || (code >= 0x7F && code < 0xA0);
  const bool line_break = code == 0x2028 || code == 0x2029;
  const bool turns_direction = (code >= 0x202A && code <= 0x202E) || (code >= 0x2066 && code <= 0x2069) ||
                               code == 0x200E || code == 0x200F || code == 0x061C;
  return control || line_break || turns_direction;
}

}  // namespace

std::size_t utf8_length(std::string_view text) {
  if (text.empty()) return 0;
  const auto byte = [&](std::size_t i) { return static_cast<unsigned char>(text[i]); };
  const std::size_t length = byte(0) < 0x80          ? 1
                             : (byte(0) >> 5U) == 6  ? 2
                             : (byte(0) >> 4U) == 14 ? 3
                             : (byte(0) >> 3U) == 30 ? 4
                                                     : 0;
  if (length == 0 || length > text.size()) return 0;
  for (std::size_t i = 1; i < length; ++i)
    if ((byte(i) & 0xC0U) != 0x80) return 0;
  return length;
}

std::string printable(std::string_view text) {
  std::string out;
  out.reserve(text.size());
  while (!text.empty()) {
    const auto length = utf8_length(text);
    if (length == 0 || steers(character(text.substr(0, length))))
      out += '?';
    else
      out += text.substr(0, length);
    text.remove_prefix(std::max<std::size_t>(length, 1));
  }
  return out;
}

std::string printable_line(std::string_view line, std::size_t most) {
  std::size_t kept = 0, shown = 0;
  while (kept < line.size() && shown < most) {
    kept += std::max<std::size_t>(utf8_length(line.substr(kept)), 1);
    ++shown;
  }
  auto out = printable(line.substr(0, kept));
  std::ranges::replace(out, '\n', '?');
  return kept < line.size() ? out + "…" : out;
}

std::string last_lines(std::string_view text) {
  constexpr std::size_t most_lines = 6, widest = 160;
  std::string all;
  while (text.ends_with('\n')) text.remove_suffix(1);
  for (std::size_t lines = 0; !text.empty() && lines < most_lines; ++lines) {
    const auto start = text.rfind('\n');
    const auto line = start == std::string_view::npos ? text : text.substr(start + 1);
    all.insert(0, "\n" + printable_line(line, widest));
    text = text.substr(0, start == std::string_view::npos ? 0 : start);
  }
  return all;
}

}  // namespace assay::model
