#include "assay/schedule/order.hpp"

#include "assay/stats/random.hpp"

namespace assay::schedule {

std::vector<CellId> order_of_round(std::uint64_t seed, int number, std::span<const CellId> open) {
  std::vector<CellId> order(open.begin(), open.end());
  stats::Random(seed, static_cast<std::uint64_t>(number)).shuffle(std::span(order));
  return order;
}

}  // namespace assay::schedule
