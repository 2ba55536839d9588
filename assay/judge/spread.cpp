#include "assay/judge/spread.hpp"

#include <algorithm>
#include <cmath>

#include "assay/judge/error_rate.hpp"
#include "assay/judge/estimate.hpp"
#include "assay/judge/pairs.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/many.hpp"

namespace assay::inline v1::judge {
namespace {

/// Absolute deviations from the median, of logarithms on a ratio scale; empty where there are none.
std::vector<double> deviations(std::span<const double> values, const Metric& metric) {
  std::vector<double> all(values.begin(), values.end());
  if (!std::ranges::all_of(all, [&](double v) { return fits(metric.scale, v); })) return {};
  for (auto& v : all) v = value_on_test_scale(metric.scale, v);
  const double centre = stats::median(all);
  for (auto& v : all) v = std::abs(v - centre);
  return all;
}

}  // namespace

std::vector<SpreadFinding> judge_spreads(const Evidence& evidence) {
  constexpr double much = 1.5;
  constexpr std::size_t fewest = 10;  // below, the estimated centres weigh too much
  const auto& design = evidence.design;
  std::vector<SpreadFinding> called;
  for (const auto id : design.metrics.ids()) {
    const auto& metric = design.metrics[id];
    if (!metric.demand.watched || metric.exact) continue;
    const auto cells = by_cell(evidence.values(id));
    std::vector<SpreadFinding> family;
    std::vector<double> p;
    for (const auto& contrast : design.contrasts) {
      if (design.is_twin(contrast.candidate) || !evidence.is_sound(contrast)) continue;
      if (layouts_of(design, contrast) > 0) continue;  // layouts spread both, each in its own way
      const auto series = pair_up(contrast, cells);
      const auto look = last_look(design.rules, series);
      if (!look || look->rounds < fewest) continue;
      const auto n = look->rounds;
      const auto its = deviations(std::span(series.baseline).first(n), metric),
                 mine = deviations(std::span(series.candidate).first(n), metric);
      if (its.empty() || mine.empty() || !(stats::median(its) > 0)) continue;
      const Question question{.metric = {.name = "deviation", .scale = Scale::difference}, .margin = 1e-300};
      const Estimate estimate(its, mine, question);
      SpreadFinding finding{
          .of = contrast, .metric = id, .rounds = n, .ratio = stats::median(mine) / stats::median(its)};
      finding.p = look->boundary->p_value(look->place, estimate.count_of_no_change());
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

}  // namespace assay::inline v1::judge
