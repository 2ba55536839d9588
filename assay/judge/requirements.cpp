#include "assay/judge/requirements.hpp"

#include <algorithm>
#include <cmath>
#include <map>

#include "assay/judge/paired_series.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/rank_sum.hpp"
#include "assay/stats/series.hpp"

namespace assay::judge {
namespace {

/// As many values, evenly spread over these in order of size, as independent ones would tell as much: n·(1 −
/// ρ)/(1 + ρ), with ρ the correlation of neighbours' ranks, for its bias towards below corrected (Kendall
/// 1954; Bayley & Hammersley 1946 for the number).
std::vector<double> independent_part(std::vector<double> values) {
  const auto n = static_cast<double>(values.size());
  if (values.size() < 4) return values;
  std::vector<double> ranks;
  for (const auto rank : stats::doubled_ranks(values)) ranks.push_back(static_cast<double>(rank));
  const double seen = stats::autocorrelation(ranks);
  const double rho = std::clamp(seen + (1 + 4 * seen) / n, 0.0, 0.95);
  const double independent = std::max(1.0, std::floor(n * (1 - rho) / (1 + rho)));
  std::ranges::sort(values);
  std::vector<double> part;
  for (double i = 0; i < independent; ++i)
    part.push_back(values[static_cast<std::size_t>((i + 0.5) * n / independent)]);
  return part;
}

struct Values {
  std::vector<double> all;
  std::size_t rounds = 0;
};

RequirementFinding hold(const Values& of_cell, const Requirement& require, double level) {
  using Status = RequirementFinding::Status;
  const auto& values = of_cell.all;
  RequirementFinding found{.rounds = of_cell.rounds, .typical = stats::median(values)};
  const auto bounds = stats::quantile_interval(independent_part(values), 0.5, level);
  found.interval = {bounds.low, bounds.high, level};
  const bool low = require.holds(bounds.low), high = require.holds(bounds.high);
  found.status = low && high ? Status::met : low || high ? Status::undecided : Status::violated;
  const bool from_below =
      require.bound == Requirement::Bound::at_most || require.bound == Requirement::Bound::below;
  if (require.limit != 0)
    found.headroom =
        (from_below ? require.limit - found.typical : found.typical - require.limit) / require.limit;
  return found;
}

}  // namespace

std::vector<RequirementFinding> judge_requirements(const Observations& evidence) {
  const auto& design = evidence.design;
  std::map<std::pair<MetricId, CellId>, Values> asked;
  for (const auto metric : design.metrics.ids()) {
    if (!design.metrics[metric].request.require) continue;
    const auto& column = evidence.values(metric);
    for (std::size_t i = 0; i < column.size(); ++i) {
      if (design.is_twin(column.cell[i])) continue;
      auto& of_cell = asked[{metric, column.cell[i]}];
      of_cell.all.push_back(column.value[i]);
      of_cell.rounds += column.repeat[i] == 0 ? 1U : 0U;
    }
  }
  // All of them hold together, and at every look (Bonferroni).
  const std::size_t looks = design.rules.rounds_max > 0 ? looks_of(design.rules).counts().size() : 1;
  const double level = 1 - 0.05 / static_cast<double>(std::max<std::size_t>(asked.size(), 1) * looks);
  std::vector<RequirementFinding> all;
  for (const auto& [place, of_cell] : asked) {
    const auto& [metric, cell] = place;
    auto found = hold(of_cell, *design.metrics[metric].request.require, level);
    found.cell = cell;
    found.metric = metric;
    all.push_back(found);
  }
  return all;
}

}  // namespace assay::judge
