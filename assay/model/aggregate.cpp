#include "assay/model/aggregate.hpp"

#include <algorithm>
#include <array>
#include <charconv>

#include "assay/model/error.hpp"
#include "assay/model/setting.hpp"
#include "assay/model/units.hpp"

namespace assay::model {
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

}  // namespace assay::model
