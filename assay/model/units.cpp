#include "assay/model/units.hpp"

#include <array>
#include <charconv>
#include <cmath>
#include <optional>
#include <string_view>
#include <utility>

#include "assay/model/error.hpp"
#include "assay/model/setting.hpp"

namespace assay::model {
namespace {

constexpr std::array<std::pair<std::string_view, double>, 5> time_units = {
    {{"ms", 1e-3}, {"us", 1e-6}, {"s", 1}, {"min", 60}, {"h", 3600}}};

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
              "write a positive number with us, ms, s, min or h, like \"30 s\"");
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
