#include "assay/judge/figures.hpp"

#include <array>
#include <cmath>
#include <cstdio>

namespace assay::judge {

std::string digits(double value) {
  const double size = std::abs(value);
  std::array<char, 64> text{};
  std::snprintf(text.data(), text.size(), "%.*f",
                size >= 99.95    ? 0
                : size >= 9.995  ? 1
                : size >= 0.0995 ? 2
                                 : 4,
                value);
  std::string plain = text.data();
  if (plain.find('.') != std::string::npos) {
    plain.erase(plain.find_last_not_of('0') + 1);
    if (plain.back() == '.') plain.pop_back();
  }
  return plain;
}

std::string per_cent(double share) { return digits(std::abs(share) * 100) + " %"; }

std::string signed_change(double share) {
  if (share >= 1) return "×" + digits(std::round((1 + share) * 10) / 10);
  const double tenths = std::round(share * 1000) / 10;
  if (tenths == 0) return "0 %";
  return (tenths > 0 ? "+" : "−") + digits(std::abs(tenths)) + " %";
}

}  // namespace assay::judge
