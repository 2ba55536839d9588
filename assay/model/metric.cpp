#include "assay/model/metric.hpp"

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>

#include "assay/model/error.hpp"
#include "assay/model/setting.hpp"
#include "assay/model/text.hpp"

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

namespace {

constexpr std::array names = {"first", "last", "min", "max", "median", "mean", "sum"};

}  // namespace

Aggregate parse_aggregate(const std::string& text) {
  if (const auto found = std::ranges::find(names, text); found != names.end())
    return {.kind = static_cast<Aggregate::Kind>(found - names.begin())};
  double per_cent = -1;
  const auto* end = text.data() + text.size();
  if (text.starts_with("q") && std::from_chars(text.data() + 1, end, per_cent).ptr == end && per_cent >= 0 &&
      per_cent <= 100)
    return {.kind = Aggregate::Kind::quantile, .probability = per_cent / 100};
  throw Error("\"" + text + "\" does not pick a number", {},
              "write first, last, min, max, median, mean, sum, or a quantile in per cent like q99");
}

std::string to_string(const Aggregate& pick) {
  if (pick.kind == Aggregate::Kind::quantile) return "q" + to_string(Level{pick.probability * 100});
  return names.at(static_cast<std::size_t>(pick.kind));
}

LeadIn parse_lead_in(const std::string& text) {
  LeadIn lead_in;
  const auto* end = text.data() + text.size();
  if (std::from_chars(text.data(), end, lead_in.values).ptr == end && lead_in.values > 0) return lead_in;
  try {
    return {.seconds = parse_duration(text)};
  } catch (const Error&) {
    throw Error("\"" + text + "\" is neither a time nor a number of values", {},
                "write it like \"2 s\" where the pattern has a group named at, else like 20");
  }
}

std::string to_string(const LeadIn& lead_in) {
  if (lead_in.values > 0) return std::to_string(lead_in.values);
  return lead_in.seconds > 0 ? duration_text(lead_in.seconds) : std::string{};
}

Effect Effect::none(Scale scale) { return {scale, scale == Scale::ratio ? 1.0 : 0.0}; }

Effect Effect::from_transformed(Scale scale, double x) {
  return {scale, scale == Scale::ratio ? std::exp(x) : x};
}

double Effect::transformed() const { return scale == Scale::ratio ? std::log(value) : value; }

double Effect::distance() const { return std::abs(transformed()); }

double Effect::change() const { return scale == Scale::ratio ? value - 1 : value; }

double transformed_margin(Scale scale, double margin) {
  return scale == Scale::ratio ? std::log1p(margin) : margin;
}

bool is_valid_value(Scale scale, double value) { return scale == Scale::difference || value > 0; }

double transformed_effect(Scale scale, double baseline, double candidate) {
  return scale == Scale::ratio ? std::log(candidate / baseline) : candidate - baseline;
}

double transformed_value(Scale scale, double value) {
  return scale == Scale::ratio ? std::log(value) : value;
}

Effect regression_limit(Scale scale, double allowed, bool lower_is_better) {
  if (scale == Scale::ratio) return {scale, lower_is_better ? 1 + allowed : 1 / (1 + allowed)};
  return {scale, lower_is_better ? allowed : -allowed};
}

}  // namespace assay::model
