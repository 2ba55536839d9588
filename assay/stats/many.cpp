#include "assay/stats/many.hpp"

#include <algorithm>
#include <numeric>

#include "assay/model/error.hpp"

namespace assay::stats {
namespace {

/// Places of the p-values from the smallest to the largest.
std::vector<std::size_t> ascending(std::span<const double> p) {
  for (std::size_t i = 0; i < p.size(); ++i)
    if (!(p[i] >= 0 && p[i] <= 1)) throw DomainError("a p-value must lie between 0 and 1", i, p[i]);
  std::vector<std::size_t> order(p.size());
  std::iota(order.begin(), order.end(), std::size_t{0});
  std::ranges::stable_sort(order, {}, [&](std::size_t i) { return p[i]; });
  return order;
}

}  // namespace

std::vector<double> adjust_benjamini_hochberg(std::span<const double> p) {
  const auto order = ascending(p);
  std::vector<double> adjusted(p.size());
  double least = 1;
  for (std::size_t rank = p.size(); rank > 0; --rank) {
    const auto i = order[rank - 1];
    least = std::min(least, p[i] * static_cast<double>(p.size()) / static_cast<double>(rank));
    adjusted[i] = least;
  }
  return adjusted;
}

std::vector<double> adjust_holm(std::span<const double> p) {
  const auto order = ascending(p);
  std::vector<double> adjusted(p.size());
  double most = 0;
  for (std::size_t rank = 0; rank < p.size(); ++rank) {
    const auto i = order[rank];
    most = std::max(most, std::min(1.0, p[i] * static_cast<double>(p.size() - rank)));
    adjusted[i] = most;
  }
  return adjusted;
}

}  // namespace assay::stats
