#include "assay/contest/size_limit.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

namespace assay::contest {

std::optional<std::string> SizeLimit::record(const Cell& cell, double took) {
  if (took <= allowance_) return {};
  slow_.push_back({cell.candidate, cell.setting, took});
  return text_of(slow_.back());
}

std::optional<std::string> SizeLimit::skip_reason(const Cell& cell) const {
  const auto found = std::ranges::find_if(slow_, [&](const Seen& seen) {
    return seen.candidate == cell.candidate && but_sizes(seen.at) == but_sizes(cell.setting) &&
           at_least_as_large(cell.setting, seen.at);
  });
  return found == slow_.end() ? std::nullopt : std::optional(text_of(*found));
}

std::string SizeLimit::text_of(const Seen& seen) const {
  const auto where = seen.at.text();
  return "a call took " + to_string(Level{std::round(seen.took * 1e4) / 1e4}) + " s" +
         (where.empty() ? "" : " at " + where) + ", " + to_string(Level{allowance_}) +
         " s are allowed; it is left out there and at all larger sizes";
}

/// The levels of everything but sizes.
std::string SizeLimit::but_sizes(Setting setting) const {
  for (const auto& factor : factors_)
    if (factor.role == Factor::Role::size) setting.levels.erase(factor.name);
  return setting.text();
}

/// Whether each size of `larger` is at least that of `smaller`.
bool SizeLimit::at_least_as_large(const Setting& larger, const Setting& smaller) const {
  return std::ranges::all_of(factors_, [&](const Factor& factor) {
    return factor.role != Factor::Role::size ||
           larger.levels.at(factor.name) >= smaller.levels.at(factor.name);
  });
}

}  // namespace assay::contest
