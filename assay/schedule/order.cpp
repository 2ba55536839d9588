#include "assay/schedule/order.hpp"

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

}  // namespace assay::schedule
