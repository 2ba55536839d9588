#include "assay/schedule/order.hpp"

#include <algorithm>

#include "assay/stats/random.hpp"

namespace assay::schedule {

std::vector<CellId> order_of_round(std::uint64_t seed, int number, std::span<const CellId> open) {
  std::vector<CellId> order(open.begin(), open.end());
  stats::Random(seed, static_cast<std::uint64_t>(number)).shuffle(std::span(order));
  return order;
}

bool is_control_round(int number) {
  return number == 4 || number == 7 || (number >= 10 && (number - 10) % 5 == 0);
}

bool is_twin_round(int number) { return number % 4 == 2; }

int rounds_in_all(int judged, bool abreast) {
  int number = 1;
  for (int seen = 0; seen < judged; ++number) seen += abreast && is_control_round(number + 1) ? 0 : 1;
  return number;
}

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
