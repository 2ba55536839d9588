#include "assay/report/figures.hpp"

#include <fmt/format.h>

#include <cmath>

#include "assay/model/setting.hpp"

namespace assay::report {

std::string short_number(double value) {
  const double size = std::abs(value);
  auto plain = fmt::format("{:.{}f}", value, size >= 99.95 ? 0 : size >= 9.995 ? 1 : size >= 0.0995 ? 2 : 4);
  if (plain.find('.') != std::string::npos) {
    plain.erase(plain.find_last_not_of('0') + 1);
    if (plain.back() == '.') plain.pop_back();
  }
  return plain;
}

std::string percent(double share) { return short_number(std::abs(share) * 100) + " %"; }

std::string percent_change(double share) {
  if (share >= 1) return "×" + short_number(std::round((1 + share) * 10) / 10);
  const double tenths = std::round(share * 1000) / 10;
  if (tenths == 0) return "0 %";
  return (tenths > 0 ? "+" : "−") + short_number(std::abs(tenths)) + " %";
}

std::string exact_number(double value) { return to_string(Level{value}); }

}  // namespace assay::report
