#include "assay/stats/location.hpp"

#include <algorithm>
#include <vector>

#include "assay/stats/require.hpp"

namespace assay::stats {

double median(std::span<const double> values) {
  require_finite(values);
  std::vector<double> copy(values.begin(), values.end());
  const auto middle = copy.begin() + static_cast<std::ptrdiff_t>(copy.size() / 2);
  std::ranges::nth_element(copy, middle);
  if (copy.size() % 2 == 1) return *middle;
  return 0.5 * *middle + 0.5 * *std::max_element(copy.begin(), middle);
}

}  // namespace assay::stats
