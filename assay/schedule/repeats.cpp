#include "assay/schedule/repeats.hpp"

#include <algorithm>

namespace assay::schedule {

std::vector<int> repeats_by_cost(std::span<const double> costs) {
  constexpr double much_cheaper = 3, most = 9;
  constexpr double worth_saving = 0.05;
  std::vector<int> slots(costs.size(), 1);
  const double dearest = costs.empty() ? 0 : std::ranges::max(costs);
  if (dearest < worth_saving) return slots;
  const auto is_cheap = [&](double cost) { return cost > 0 && cost * much_cheaper <= dearest; };
  const auto share = dearest / static_cast<double>(std::ranges::count_if(costs, is_cheap));
  for (std::size_t i = 0; i < costs.size(); ++i)
    if (is_cheap(costs[i])) slots[i] = static_cast<int>(std::clamp(share / costs[i], 1.0, most));
  return slots;
}

}  // namespace assay::schedule
