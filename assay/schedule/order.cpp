#include "assay/schedule/order.hpp"

#include <algorithm>
#include <cmath>

#include "assay/stats/random.hpp"

namespace assay::schedule {

std::vector<CellId> order_of_round(std::uint64_t seed, int number, std::span<const CellId> open) {
  std::vector<CellId> order(open.begin(), open.end());
  stats::Random(seed, static_cast<std::uint64_t>(number)).shuffle(std::span(order));
  return order;
}

bool is_control_round(int number, Way way) {
  if (way == Way::turns) return false;
  if (way == Way::automatic) return number >= 15 && number % 10 == 5;
  return number == 4 || number == 7 || (number >= 10 && (number - 10) % 5 == 0);
}

bool is_twin_round(int number) { return number % 4 == 2; }

int rounds_in_all(int judged, Way way) {
  int number = 1;
  for (int seen = 0; seen < judged; ++number) seen += is_control_round(number + 1, way) ? 0 : 1;
  return number;
}

std::vector<int> repeats_by_cost(std::span<const double> costs, std::span<const int> comparisons) {
  constexpr double much_cheaper = 3, most = 40;
  constexpr double worth_saving = 0.05;
  std::vector<int> slots(costs.size(), 1);
  const double dearest = costs.empty() ? 0 : std::ranges::max(costs);
  if (dearest < worth_saving) return slots;
  const auto is_cheap = [&](double cost) { return cost > 0 && cost * much_cheaper <= dearest; };
  double needs = 0;
  for (std::size_t i = 0; i < costs.size(); ++i)
    if (is_cheap(costs[i])) needs += std::sqrt(comparisons[i]);
  for (std::size_t i = 0; i < costs.size(); ++i)
    if (is_cheap(costs[i]))
      slots[i] =
          static_cast<int>(std::clamp(dearest * std::sqrt(comparisons[i]) / needs / costs[i], 1.0, most));
  return slots;
}

}  // namespace assay::schedule
