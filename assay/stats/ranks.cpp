#include "assay/stats/ranks.hpp"

#include <algorithm>
#include <numeric>

namespace assay::stats {
namespace {

template <class Take>
void each_group(std::span<const double> values, Take&& take) {
  std::vector<std::size_t> order(values.size());
  std::iota(order.begin(), order.end(), std::size_t{0});
  std::ranges::sort(order, {}, [&](std::size_t i) { return values[i]; });
  for (std::size_t first = 0; first < order.size();) {
    std::size_t last = first;
    while (last + 1 < order.size() && values[order[last + 1]] == values[order[first]]) ++last;
    take(std::span(order).subspan(first, last - first + 1), first);
    first = last + 1;
  }
}

}  // namespace

std::vector<std::uint64_t> doubled_ranks(std::span<const double> values) {
  std::vector<std::uint64_t> ranks(values.size());
  each_group(values, [&](std::span<const std::size_t> group, std::size_t before) {
    for (const auto i : group) ranks[i] = 2 * before + group.size() + 1;
  });
  return ranks;
}

double tie_correction(std::span<const double> values) {
  double sum = 0;
  each_group(values, [&](std::span<const std::size_t> group, std::size_t) {
    const auto t = static_cast<double>(group.size());
    sum += t * t * t - t;
  });
  return sum;
}

}  // namespace assay::stats
