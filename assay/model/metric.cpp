#include "assay/model/metric.hpp"

#include <algorithm>
#include <vector>

namespace assay::inline model {

std::span<const Metric> process_metrics() {
  static const std::vector<Metric> all = {
      {.name = "wall time", .unit = "s"},
      {.name = "cpu time", .unit = "s"},
      {.name = "cores used", .unit = "", .prefer = Prefer::neither},
      {.name = "peak memory", .unit = "B"},
      {.name = "output bytes", .unit = "B", .prefer = Prefer::neither, .scale = Scale::difference},
  };
  return all;
}

const Metric* find_process_metric(const std::string& name) {
  const auto all = process_metrics();
  const auto found = std::ranges::find(all, name, &Metric::name);
  return found == all.end() ? nullptr : &*found;
}

}  // namespace assay::inline model
