#include "assay/model/quantity.hpp"

#include <array>
#include <charconv>
#include <cmath>
#include <optional>
#include <string_view>
#include <utility>

#include "assay/model/error.hpp"
#include "assay/model/setting.hpp"

namespace assay::inline model {
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

/// Number and unit, with any spaces between and around; nothing when the text isn't made that way.
std::optional<std::pair<double, std::string>> split(const std::string& text) {
  const auto start = text.find_first_not_of(' ');
  if (start == std::string::npos) return {};
  double number = 0;
  const auto [end, failed] = std::from_chars(text.data() + start, text.data() + text.size(), number);
  if (failed != std::errc{} || !std::isfinite(number)) return {};
  std::string unit(end, text.data() + text.size());
  unit.erase(0, unit.find_first_not_of(' '));
  unit.erase(unit.find_last_not_of(' ') + 1);
  return std::pair{number, unit};
}

}  // namespace

double parse_duration(const std::string& text) {
  if (const auto parts = split(text); parts && parts->first > 0)
    for (const auto& [name, seconds] : time_units)
      if (parts->second == name) return parts->first * seconds;
  throw Error("\"" + text + "\" is not a duration", {},
              "write a positive number with us, ms, s, min or h, like \"30 s\"");
}

double parse_share(const std::string& text) {
  if (const auto parts = split(text);
      parts && parts->second == "%" && parts->first >= 0 && parts->first < 1000)
    return parts->first / 100;
  throw Error("\"" + text + "\" is not a share", {}, "write a number with a per-cent sign, like \"1 %\"");
}

std::uint64_t parse_bytes(const std::string& text) {
  constexpr double most = 4611686018427387904.0;
  if (const auto parts = split(text))
    for (const auto& [name, size] : byte_units)
      if (parts->second == name && parts->first * size >= 1 && parts->first * size < most)
        return static_cast<std::uint64_t>(parts->first * size);
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

std::string share_text(double share) {
  const double nice = std::round(share * 1e8) / 1e6;  // 0.07 * 100 is 7.000000000000001
  return to_string(Level{nice / 100 == share ? nice : share * 100}) + " %";
}

}  // namespace assay::inline model
