#include "assay/model/text.hpp"

#include <algorithm>
#include <array>
#include <cctype>
#include <charconv>
#include <cmath>
#include <cstddef>
#include <cstdint>
#include <optional>
#include <string_view>
#include <utility>
#include <vector>

#include "assay/model/error.hpp"
#include "assay/model/setting.hpp"

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

std::string hexadecimal(std::string_view bytes) {
  constexpr char digits[] = "0123456789abcdef";
  std::string text;
  for (const char byte : bytes) {
    const auto value = static_cast<unsigned char>(byte);
    text += {digits[value >> 4U], digits[value & 15U]};
  }
  return text;
}

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

namespace {

constexpr std::array<std::pair<std::string_view, double>, 6> time_units = {
    {{"ms", 1e-3}, {"us", 1e-6}, {"s", 1}, {"min", 60}, {"h", 3600}, {"d", 86400}}};

constexpr std::array<std::pair<std::string_view, double>, 8> byte_units = {{{"B", 1},
                                                                            {"KiB", 1024.0},
                                                                            {"MiB", 1048576.0},
                                                                            {"GiB", 1073741824.0},
                                                                            {"TiB", 1099511627776.0},
                                                                            {"kB", 1e3},
                                                                            {"MB", 1e6},
                                                                            {"GB", 1e9}}};

struct Quantity {
  double number = 0;
  std::string written;  ///< the number as it stands there
  std::string unit;
};

/// Number and unit, with any spaces between and around; nothing when the text isn't made that way.
std::optional<Quantity> split(const std::string& text) {
  const auto start = text.find_first_not_of(' ');
  if (start == std::string::npos) return {};
  Quantity parts;
  const auto* from = text.data() + start;
  const auto [end, failed] = std::from_chars(from, text.data() + text.size(), parts.number);
  if (failed != std::errc{} || !std::isfinite(parts.number)) return {};
  parts.written.assign(from, end);
  parts.unit.assign(end, text.data() + text.size());
  parts.unit.erase(0, parts.unit.find_first_not_of(' '));
  parts.unit.erase(parts.unit.find_last_not_of(' ') + 1);
  return parts;
}

/// The decimal number that is written in `text`, its point moved by `places`: nothing is rounded before it is
/// read.
double read_moved(std::string_view text, int places) {
  const auto mark = text.find_first_of("eE");
  std::string moved(text.substr(0, mark));
  if (mark != std::string::npos) {
    const auto* from = text.data() + mark + (text.substr(mark + 1).starts_with('+') ? 2 : 1);
    int exponent = 0;
    std::from_chars(from, text.data() + text.size(), exponent);
    places += exponent;
  }
  moved += "e" + std::to_string(places);
  double number = 0;
  std::from_chars(moved.data(), moved.data() + moved.size(), number);
  return number;
}

/// The shortest decimal number that is read back as `value`, its point moved by `places`.
std::string write_moved(double value, int places) {
  std::array<char, 40> buffer{};
  const auto end =
      std::to_chars(buffer.data(), buffer.data() + buffer.size(), value, std::chars_format::scientific).ptr;
  const std::string_view text(buffer.data(), static_cast<std::size_t>(end - buffer.data()));
  const auto mark = text.find('e');
  std::string digits(text.substr(0, mark));
  std::erase(digits, '.');
  const int point = std::stoi(std::string(text.substr(mark + 1))) + places + 1;  // digits before it
  const auto size = static_cast<int>(digits.size());
  if (point > 15 || point < -6)
    return digits.insert(1, size > 1 ? "." : "") + "e" + std::to_string(point - 1);
  if (point <= 0) return "0." + std::string(static_cast<std::size_t>(-point), '0') + digits;
  if (point >= size) return digits + std::string(static_cast<std::size_t>(point - size), '0');
  return digits.insert(static_cast<std::size_t>(point), ".");
}

}  // namespace

double parse_duration(const std::string& text) {
  if (const auto parts = split(text); parts && parts->number > 0)
    for (const auto& [name, seconds] : time_units)
      if (parts->unit == name) return parts->number * seconds;
  throw Error("\"" + text + "\" is not a duration", {},
              "write a positive number with us, ms, s, min, h or d, like \"30 s\"");
}

double parse_percent(const std::string& text) {
  if (const auto parts = split(text);
      parts && parts->unit == "%" && parts->number >= 0 && parts->number < 1000)
    return read_moved(parts->written, -2);
  throw Error("\"" + text + "\" is not a share", {}, "write a number with a per-cent sign, like \"1 %\"");
}

std::uint64_t parse_bytes(const std::string& text) {
  constexpr double most = 4611686018427387904.0;
  if (const auto parts = split(text))
    for (const auto& [name, size] : byte_units)
      if (parts->unit == name && parts->number * size >= 1 && parts->number * size < most)
        return static_cast<std::uint64_t>(parts->number * size);
  throw Error("\"" + text + "\" is not an amount of memory", {},
              "write a positive number with B, KiB, MiB, GiB, TiB, kB, MB or GB, like \"64 MiB\"");
}

std::string bytes_text(std::uint64_t bytes) {
  constexpr std::array units = {"B", "KiB", "MiB", "GiB", "TiB"};
  std::size_t unit = 0;
  for (; bytes > 0 && bytes % 1024 == 0 && unit + 1 < units.size(); ++unit) bytes /= 1024;
  return std::to_string(bytes) + " " + units[unit];
}

std::string duration_text(double seconds) { return to_string(Level{seconds}) + " s"; }

std::string percent_text(double share) { return write_moved(share, 2) + " %"; }

}  // namespace assay::model
