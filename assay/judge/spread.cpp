#include "assay/judge/spread.hpp"

#include <algorithm>
#include <cmath>

#include "assay/judge/error_rate.hpp"
#include "assay/judge/estimate.hpp"
#include "assay/judge/pairs.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/many.hpp"

namespace assay::judge {
namespace {

/// Absolute deviations from the median, of logarithms on a ratio scale; empty where there are none.
std::vector<double> deviations(std::span<const double> values, const Metric& metric) {
  std::vector<double> all(values.begin(), values.end());
  if (!std::ranges::all_of(all, [&](double v) { return is_valid_value(metric.scale, v); })) return {};
  for (auto& v : all) v = transformed_value(metric.scale, v);
  const double centre = stats::median(all);
  for (auto& v : all) v = std::abs(v - centre);
  return all;
}

}  // namespace

std::vector<SpreadFinding> judge_variability(const Observations& evidence) {
  constexpr double much = 1.5;
  constexpr std::size_t fewest = 10;  // below, the estimated centres weigh too much
  const auto& design = evidence.design;
  std::vector<SpreadFinding> called;
  for (const auto id : design.metrics.ids()) {
    const auto& metric = design.metrics[id];
    if (!metric.request.watched || metric.exact) continue;
    const auto cells = values_by_cell(evidence.values(id));
    std::vector<SpreadFinding> family;
    std::vector<double> p;
    for (const auto& contrast : design.comparisons) {
      if (design.is_twin(contrast.candidate) || !evidence.is_ok(contrast)) continue;
      if (layouts_of(design, contrast) > 0) continue;  // layouts spread both, each in its own way
      const auto series = make_pairs(contrast, cells);
      const auto look = last_look(design.rules, series);
      if (!look || look->rounds < fewest) continue;
      const auto n = look->rounds;
      const auto its = deviations(std::span(series.baseline).first(n), metric),
                 mine = deviations(std::span(series.candidate).first(n), metric);
      if (its.empty() || mine.empty() || !(stats::median(its) > 0)) continue;
      const PairedTestOptions question{.metric = {.name = "deviation", .scale = Scale::difference},
                                       .margin = 1e-300};
      const PairedTest estimate(its, mine, question);
      SpreadFinding finding{.comparison = contrast,
                            .metric = id,
                            .rounds = n,
                            .ratio = stats::median(mine) / stats::median(its)};
      finding.p = look->boundary->p_value(look->place, estimate.count_difference());
      p.push_back(finding.p);
      family.push_back(finding);
    }
    const auto adjusted = stats::adjust_benjamini_hochberg(p);
    for (std::size_t i = 0; i < family.size(); ++i) {
      auto& f = family[i];
      f.p_adjusted = adjusted[i];
      if (f.p_adjusted > error_rate || (f.ratio < much && f.ratio > 1 / much)) continue;
      f.verdict = f.ratio > 1 ? Verdict::worse : Verdict::better;
      called.push_back(f);
    }
  }
  return called;
}

}  // namespace assay::judge
