#include "assay/model/metric.hpp"

#include <charconv>
#include <cmath>

#include "assay/model/error.hpp"
#include "assay/model/units.hpp"

namespace assay::model {
namespace {

double parse_limit(const std::string& text) {
  double number = 0;
  const auto* const end = text.data() + text.size();
  const auto [stop, failed] = std::from_chars(text.data(), end, number);
  if (failed == std::errc{} && stop == end && std::isfinite(number)) return number;
  try {
    return parse_duration(text);
  } catch (const Error&) {
    return static_cast<double>(parse_bytes(text));
  }
}

}  // namespace

bool Requirement::holds(double value) const {
  switch (bound) {
    case Bound::at_most:
      return value <= limit;
    case Bound::below:
      return value < limit;
    case Bound::at_least:
      return value >= limit;
    default:
      return value > limit;
  }
}

Requirement parse_requirement(const std::string& text) {
  const auto start = text.find_first_not_of(' ');
  const auto number = text.find_first_not_of("<>= ", start == std::string::npos ? 0 : start);
  const auto sign = start == std::string::npos || number == std::string::npos
                        ? std::string{}
                        : text.substr(start, text.find_last_of("<>=", number) + 1 - start);
  try {
    Requirement requirement{.text = text};
    if (sign == "<=")
      requirement.bound = Requirement::Bound::at_most;
    else if (sign == "<")
      requirement.bound = Requirement::Bound::below;
    else if (sign == ">=")
      requirement.bound = Requirement::Bound::at_least;
    else if (sign == ">")
      requirement.bound = Requirement::Bound::above;
    else
      throw Error("no comparison");
    requirement.limit = parse_limit(text.substr(number));
    return requirement;
  } catch (const Error&) {
    throw Error("\"" + text + "\" is not a requirement", {},
                "write a comparison and a number with its unit, like \"< 2 ms\" or \">= 250\"");
  }
}

}  // namespace assay::model
