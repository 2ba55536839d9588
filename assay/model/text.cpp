#include "assay/model/text.hpp"

#include <algorithm>
#include <cctype>
#include <cstddef>
#include <cstdint>
#include <vector>

namespace assay::model {

namespace {

std::string lower(std::string text) {
  std::ranges::transform(text, text.begin(),
                         [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
  return text;
}

std::size_t distance(const std::string& a, const std::string& b) {
  std::vector<std::vector<std::size_t>> d(a.size() + 1, std::vector<std::size_t>(b.size() + 1));
  for (std::size_t i = 0; i <= a.size(); ++i)
    for (std::size_t j = 0; j <= b.size(); ++j) {
      if (i == 0 || j == 0) {
        d[i][j] = i + j;
        continue;
      }
      d[i][j] =
          std::min({d[i - 1][j] + 1, d[i][j - 1] + 1, d[i - 1][j - 1] + (a[i - 1] != b[j - 1] ? 1U : 0U)});
      if (i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1])
        d[i][j] = std::min(d[i][j], d[i - 2][j - 2] + 1);
    }
  return d[a.size()][b.size()];
}

}  // namespace

std::string closest_match(const std::string& word, std::span<const std::string> known) {
  if (word.size() > 64) return {};
  std::size_t nearest = std::clamp<std::size_t>(word.size() / 3, 1, 3) + 1;
  std::string best;
  for (const auto& name : known)
    if (const auto off = distance(lower(word), lower(name)); off < nearest) {
      nearest = off;
      best = name;
    }
  return best;
}

std::string did_you_mean(const std::string& word, std::span<const std::string> known) {
  if (const auto meant = closest_match(word, known); !meant.empty()) return "did you mean \"" + meant + "\"?";
  std::string list;
  for (const auto& name : known) list += (list.empty() ? "" : ", ") + name;
  return list.empty() ? "there is none" : "known here: " + list;
}

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
