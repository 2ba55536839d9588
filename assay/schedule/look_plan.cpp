#include "assay/schedule/look_plan.hpp"

#include <algorithm>

namespace assay::schedule {

LookSchedule::LookSchedule(int min, int max, const Replication& repeats)
    : repeats_(repeats), counts_(planned_looks(std::max(1, std::min(min, max)), max, repeats)) {}

std::optional<std::size_t> LookSchedule::look_at(int pairs) const {
  const auto found = std::ranges::find(counts_, pairs);
  if (found == counts_.end()) return {};
  return static_cast<std::size_t>(found - counts_.begin());
}

std::optional<std::size_t> LookSchedule::last_look_by(int pairs) const {
  const auto beyond = std::ranges::upper_bound(counts_, pairs);
  if (beyond == counts_.begin()) return {};
  return static_cast<std::size_t>(beyond - counts_.begin()) - 1;
}

std::optional<int> LookSchedule::next_after(int pairs) const {
  const auto beyond = std::ranges::upper_bound(counts_, pairs);
  return beyond == counts_.end() ? std::nullopt : std::optional(*beyond);
}

bool LookSchedule::is_due(int fewest, int most) const {
  return std::ranges::any_of(counts_, [&](int count) { return count >= fewest && count <= most; });
}

}  // namespace assay::schedule
