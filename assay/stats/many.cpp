#include "assay/stats/many.hpp"

#include <algorithm>
#include <numeric>

#include "assay/model/error.hpp"

namespace assay::stats {

std::vector<double> adjust_benjamini_hochberg(std::span<const double> p) {
  for (std::size_t i = 0; i < p.size(); ++i)
    if (!(p[i] >= 0 && p[i] <= 1)) throw DomainError("a p-value must lie between 0 and 1", i, p[i]);
  std::vector<std::size_t> order(p.size());
  std::iota(order.begin(), order.end(), std::size_t{0});
  std::ranges::sort(order, {}, [&](std::size_t i) { return p[i]; });
  std::vector<double> adjusted(p.size());
  double least = 1;
  for (std::size_t rank = p.size(); rank > 0; --rank) {
    const auto i = order[rank - 1];
    least = std::min(least, p[i] * static_cast<double>(p.size()) / static_cast<double>(rank));
    adjusted[i] = least;
  }
  return adjusted;
}

}  // namespace assay::stats
