#include <algorithm>
#include <cmath>
#include <map>
#include <utility>

#include "assay/judge/aggregates.hpp"
#include "assay/judge/machines.hpp"
#include "assay/judge/paired_series.hpp"
#include "assay/judge/paired_test.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/model/plan.hpp"
#include "assay/stats/location.hpp"

namespace assay::judge {
namespace {

using Lines = std::map<std::pair<Comparison, MetricId>, ProfileLine>;

/// The median of the pairs' effects; of values without pairs, of their medians. A difference where a ratio
/// can't be made.
Effect seen(const PairedSeries& series, Scale scale, const ProfileLine& line) {
  if (!is_valid_value(scale, line.baseline) || !is_valid_value(scale, line.candidate) ||
      !all_valid(series, scale))
    return {Scale::difference, line.candidate - line.baseline};
  if (series.rounds.empty())
    return Effect::from_transformed(scale, transformed_effect(scale, line.baseline, line.candidate));
  std::vector<double> effects;
  for (std::size_t i = 0; i < series.rounds.size(); ++i)
    effects.push_back(transformed_effect(scale, series.baseline[i], series.candidate[i]));
  return Effect::from_transformed(scale, stats::median(effects));
}

/// Whether a change of a metric without a better side is shown to be one, at the last planned look. All that
/// moved besides what is watched is one family, see metrics_moved_besides().
bool is_significant(const Design& design, const PairedSeries& series, Metric metric, const Effect& effect) {
  constexpr double much = 0.05;
  const auto look = last_look(design.rules, series);
  if (!look || !effect.is_ratio() || look->rounds < static_cast<std::size_t>(fewest_rounds) ||
      !(effect.distance() > std::log1p(much)))
    return false;
  metric.direction = Direction::lower;
  const auto estimate = estimate_of(series, look->rounds, {.metric = metric, .margin = much, .rest = false});
  return estimate.beyond_margin() && look->boundary->p_value(look->place, estimate.count_difference()) <=
                                         error_rate / metrics_moved_besides(design);
}

void add_metric(const Observations& evidence, MetricId id, Lines& lines) {
  const auto& design = evidence.design;
  const auto& metric = design.metrics[id];
  using From = Observations::Source;
  const auto from = metrics::is_kind(metric, metrics::MetricKind::build_time) ? From::built
                    : evidence.values(id).size() > 0                          ? From::judged
                                                                              : From::unpaired;
  const auto cells = from == From::judged ? cells_on_one_level(evidence, id) : evidence.by_cell(id, from);
  for (const auto& comparison : design.comparisons) {
    if (lines.contains({comparison, id})) continue;  // its finding's
    const auto its = cells.find(comparison.baseline), mine = cells.find(comparison.candidate);
    if (design.is_twin(comparison.candidate) || !evidence.is_ok(comparison) || its == cells.end() ||
        mine == cells.end())
      continue;
    ProfileLine line{.comparison = comparison,
                     .metric = id,
                     .baseline = median_of_values(its->second),
                     .candidate = median_of_values(mine->second)};
    if (line.baseline == 0 && line.candidate == 0) continue;
    const auto series =
        from == From::judged ? make_pairs(comparison, cells) : PairedSeries{.comparison = comparison};
    line.effect = seen(series, metric.scale, line);
    line.is_significant =
        metric.direction == Direction::neither && is_significant(design, series, metric, line.effect);
    lines[{comparison, id}] = line;
  }
}

}  // namespace

std::vector<ProfileLine> make_profile(const Observations& evidence, const std::vector<Finding>& findings) {
  const auto& design = evidence.design;
  Lines lines;
  for (const auto& f : findings) {
    if (design.is_twin(f.comparison.candidate) || (f.baseline_typical == 0 && f.candidate_typical == 0))
      continue;
    lines[{f.comparison, f.metric}] = {
        .comparison = f.comparison,
        .metric = f.metric,
        .baseline = f.baseline_typical,
        .candidate = f.candidate_typical,
        .effect = f.effect,
        .is_significant = f.verdict != Verdict::same && f.verdict != Verdict::unclear};
  }
  for (const auto id : design.metrics.ids())
    if (design.metrics[id].subject == MetricSubject::work) add_metric(evidence, id, lines);
  std::vector<ProfileLine> profile;
  for (const auto& comparison : design.comparisons)
    for (auto at = lines.lower_bound({comparison, MetricId{0}});
         at != lines.end() && at->first.first == comparison; ++at)
      profile.push_back(at->second);
  return profile;
}

}  // namespace assay::judge
