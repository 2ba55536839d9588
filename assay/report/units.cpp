#include "assay/report/units.hpp"

#include <fmt/format.h>

#include <array>
#include <cmath>
#include <cstddef>
#include <utility>

namespace assay::report {
namespace {

constexpr const char* minus = "−";

std::string scaled(double value, const char* unit) { return number_text(value) + " " + unit; }

/// Whole numbers in groups of three: 12 345 678.
std::string grouped(double value) {
  auto digits = fmt::format("{:.0f}", value);
  for (auto at = static_cast<std::ptrdiff_t>(digits.size()) - 3; at > 0; at -= 3)
    digits.insert(static_cast<std::size_t>(at), " ");
  return digits;
}

std::string per_cent(double change) {
  const double size = std::abs(change);
  const int places = size < 0.9995 ? 2 : size < 9.995 ? 1 : 0;
  auto digits = fmt::format("{:.{}f}", size, places);
  if (digits == "0.00") return "0";
  return (change < 0 ? minus : "+") + digits;
}

}  // namespace

std::string number_text(double value) {
  if (!std::isfinite(value)) return "any";
  const double size = std::abs(value);
  if (size != 0 && (size < 1e-4 || size >= 1e9)) return fmt::format("{:.3g}", value);
  if (size >= 10000) return (value < 0 ? minus : "") + grouped(size);
  if (size >= 999.5) return fmt::format("{:.0f}", value);
  return fmt::format("{:.3g}", value);
}

std::string value_text(double value, const std::string& unit) {
  const double size = std::abs(value);
  if (unit == "s") {
    if (value == 0) return "0 s";
    if (size < 1e-6) return scaled(value * 1e9, "ns");
    if (size < 0.9995e-3) return scaled(value * 1e6, "µs");
    if (size < 0.9995) return scaled(value * 1e3, "ms");
    return size < 600 ? scaled(value, "s") : duration(value);
  }
  if (unit == "B") {
    constexpr std::array<std::pair<double, const char*>, 4> steps = {
        {{1099511627776.0, "TiB"}, {1073741824.0, "GiB"}, {1048576.0, "MiB"}, {1024.0, "KiB"}}};
    for (const auto& [step, name] : steps)
      if (size >= step) return scaled(value / step, name);
    return scaled(value, "B");
  }
  return unit.empty() ? number_text(value) : number_text(value) + " " + unit;
}

std::string cell_value_text(double value, const std::string& unit) {
  if (unit == "s" || unit == "B") return value_text(value, unit);
  constexpr std::array<std::pair<double, const char*>, 3> steps = {{{1e9, "G"}, {1e6, "M"}, {1e3, "k"}}};
  if (std::abs(value) >= 1e4)
    for (const auto& [step, name] : steps)
      if (std::abs(value) >= step) return scaled(value / step, name);
  return number_text(value);
}

std::string duration(double seconds) {
  if (seconds < 9.95) return fmt::format("{:.1f} s", seconds);
  const auto whole = std::llround(seconds);
  if (whole < 120) return fmt::format("{} s", whole);
  if (whole < 7200) return fmt::format("{} min {:02} s", whole / 60, whole % 60);
  return fmt::format("{} h {:02} min", whole / 3600, whole % 3600 / 60);
}

std::string change_text(double ratio) {
  if (!std::isfinite(ratio) || ratio <= 0) return "any";
  const double factor = ratio >= 1 ? ratio : 1 / ratio;
  if (factor >= 2) {
    const auto digits = factor < 9.95  ? fmt::format("{:.1f}", factor)
                        : factor < 1e6 ? grouped(factor)
                                       : fmt::format("{:.2g}", factor);
    return (ratio >= 1 ? "×" : "÷") + digits;
  }
  return per_cent((ratio - 1) * 100) + " %";
}

std::string effect_text(const Effect& effect, const std::string& unit) {
  if (effect.is_ratio()) return change_text(effect.value);
  if (!std::isfinite(effect.value)) return "any";
  if (effect.value == 0) return value_text(0, unit);
  return (effect.value < 0 ? minus : "+") + value_text(std::abs(effect.value), unit);
}

std::string range_text(const Interval& interval, Scale scale, const std::string& unit) {
  const bool ratio = scale == Scale::ratio;
  const bool any_low = !std::isfinite(interval.low) || (ratio && interval.low <= 0);
  const bool any_high = !std::isfinite(interval.high);
  if (any_low && any_high) return "not known yet";
  if (any_low) return "below " + effect_text({scale, interval.high}, unit);
  if (any_high) return "above " + effect_text({scale, interval.low}, unit);
  auto from = effect_text({scale, interval.low}, unit);
  const auto to = effect_text({scale, interval.high}, unit);
  if (from.ends_with(" %") && to.ends_with(" %")) from.resize(from.size() - 2);
  return from + " … " + to;
}

std::string effect_range(const Effect& low, const Effect& high, const std::string& unit) {
  auto from = effect_text(low, unit);
  const auto to = effect_text(high, unit);
  if (from == to) return from;
  if (from.ends_with(" %") && to.ends_with(" %")) from.resize(from.size() - 2);
  return from + " to " + to;
}

bool is_imprecise(const Effect& effect, const Interval& interval) {
  constexpr double part = 1.0 / 3;
  return half_width(effect.scale, interval) > part * effect.distance();
}

std::string at_least_text(const Effect& effect, const Interval& interval, const std::string& unit) {
  const bool falls = effect.transformed() < 0;
  return is_imprecise(effect, interval)
             ? "at least " + effect_text({effect.scale, falls ? interval.high : interval.low}, unit)
             : effect_text(effect, unit);
}

}  // namespace assay::report
