#include "assay/report/figures.hpp"

#include <fmt/format.h>

#include <cmath>

#include "assay/model/setting.hpp"

namespace assay::inline v1::report {

std::string digits(double value) {
  const double size = std::abs(value);
  auto plain = fmt::format("{:.{}f}", value, size >= 99.95 ? 0 : size >= 9.995 ? 1 : size >= 0.0995 ? 2 : 4);
  if (plain.find('.') != std::string::npos) {
    plain.erase(plain.find_last_not_of('0') + 1);
    if (plain.back() == '.') plain.pop_back();
  }
  return plain;
}

std::string share_text_of(double share) { return digits(std::abs(share) * 100) + " %"; }

std::string signed_change(double share) {
  if (share >= 1) return "×" + digits(std::round((1 + share) * 10) / 10);
  const double tenths = std::round(share * 1000) / 10;
  if (tenths == 0) return "0 %";
  return (tenths > 0 ? "+" : "−") + digits(std::abs(tenths)) + " %";
}

std::string shown(double value) { return to_string(Level{value}); }

}  // namespace assay::inline v1::report
