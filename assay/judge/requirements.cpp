#include "assay/judge/requirements.hpp"

#include <map>

#include "assay/stats/location.hpp"

namespace assay::inline v1::judge {
namespace {

RequirementFinding hold(const std::vector<double>& values, const Requirement& require) {
  constexpr double level = 0.95;
  using Status = RequirementFinding::Status;
  RequirementFinding found{.rounds = values.size(), .typical = stats::median(values)};
  const auto bounds = stats::quantile_interval(values, 0.5, level);
  found.interval = {bounds.low, bounds.high, level};
  const bool low = require.holds(bounds.low), high = require.holds(bounds.high);
  found.status = low && high ? Status::met : low || high ? Status::undecided : Status::broken;
  const bool from_below =
      require.bound == Requirement::Bound::at_most || require.bound == Requirement::Bound::below;
  if (require.limit != 0)
    found.spare =
        (from_below ? require.limit - found.typical : found.typical - require.limit) / require.limit;
  return found;
}

}  // namespace

std::vector<RequirementFinding> judge_requirements(const Evidence& evidence) {
  const auto& design = evidence.design;
  std::vector<RequirementFinding> all;
  for (const auto metric : design.metrics.ids()) {
    const auto& require = design.metrics[metric].demand.require;
    if (!require) continue;
    const auto& column = evidence.values(metric);
    std::map<CellId, std::vector<double>> values;
    for (std::size_t i = 0; i < column.size(); ++i) values[column.cell[i]].push_back(column.value[i]);
    for (const auto& [cell, of_cell] : values) {
      if (design.is_twin(cell)) continue;
      auto found = hold(of_cell, *require);
      found.cell = cell;
      found.metric = metric;
      all.push_back(found);
    }
  }
  return all;
}

}  // namespace assay::inline v1::judge
