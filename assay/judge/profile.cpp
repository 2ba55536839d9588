#include "assay/judge/profile.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <utility>

#include "assay/judge/error_rate.hpp"
#include "assay/judge/estimate.hpp"
#include "assay/judge/pairs.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/model/plan.hpp"
#include "assay/stats/location.hpp"

namespace assay::inline v1::judge {
namespace {

using Lines = std::map<std::pair<Contrast, MetricId>, ProfileLine>;

/// The median of the pairs' effects; of values without pairs, of their medians. A difference where a ratio
/// can't be made.
Effect seen(const PairedSeries& series, Scale scale, const ProfileLine& line) {
  if (!fits(scale, line.baseline) || !fits(scale, line.candidate) || !all_fit(series, scale))
    return {Scale::difference, line.candidate - line.baseline};
  if (series.rounds.empty())
    return Effect::of_test_scale(scale, effect_of_pair(scale, line.baseline, line.candidate));
  std::vector<double> effects;
  for (std::size_t i = 0; i < series.rounds.size(); ++i)
    effects.push_back(effect_of_pair(scale, series.baseline[i], series.candidate[i]));
  return Effect::of_test_scale(scale, stats::median(effects));
}

/// Whether a change of a metric without a better side is shown to be one, at the last planned look. All that
/// moved besides what is watched is one family, see metrics_moved_besides().
bool is_told(const Design& design, const PairedSeries& series, Metric metric, const Effect& effect) {
  constexpr double much = 0.05;
  const auto look = last_look(design.rules, series);
  if (!look || !effect.is_ratio() || look->rounds < static_cast<std::size_t>(fewest_rounds) ||
      !(effect.distance() > std::log1p(much)))
    return false;
  metric.prefer = Prefer::lower;
  const auto estimate = estimate_of(series, look->rounds, {.metric = metric, .margin = much, .rest = false});
  return estimate.beyond_margin() && look->boundary->p_value(look->place, estimate.count_of_no_change()) <=
                                         error_rate / metrics_moved_besides(design);
}

void add_metric(const Evidence& evidence, MetricId id, Lines& lines) {
  const auto& design = evidence.design;
  const auto& metric = design.metrics[id];
  using From = Evidence::From;
  const auto from = metrics::is(metric, metrics::Known::build_time) ? From::built
                    : evidence.values(id).size() > 0                ? From::judged
                                                                    : From::unpaired;
  const auto cells = by_cell(evidence.values(id, from));
  for (const auto& contrast : design.contrasts) {
    if (lines.contains({contrast, id})) continue;  // its finding's
    const auto its = cells.find(contrast.baseline), mine = cells.find(contrast.candidate);
    if (design.is_twin(contrast.candidate) || !evidence.is_sound(contrast) || its == cells.end() ||
        mine == cells.end())
      continue;
    ProfileLine line{
        .of = contrast, .metric = id, .baseline = typical(its->second), .candidate = typical(mine->second)};
    if (line.baseline == 0 && line.candidate == 0) continue;
    const auto series = from == From::judged ? pair_up(contrast, cells) : PairedSeries{.of = contrast};
    line.effect = seen(series, metric.scale, line);
    line.told = metric.prefer == Prefer::neither && is_told(design, series, metric, line.effect);
    lines[{contrast, id}] = line;
  }
}

}  // namespace

std::vector<ProfileLine> profile_of(const Evidence& evidence, const std::vector<Finding>& findings) {
  const auto& design = evidence.design;
  Lines lines;
  for (const auto& f : findings) {
    if (design.is_twin(f.of.candidate) || (f.baseline_typical == 0 && f.candidate_typical == 0)) continue;
    lines[{f.of, f.metric}] = {.of = f.of,
                               .metric = f.metric,
                               .baseline = f.baseline_typical,
                               .candidate = f.candidate_typical,
                               .effect = f.effect,
                               .told = f.verdict != Verdict::same && f.verdict != Verdict::unclear};
  }
  for (const auto id : design.metrics.ids())
    if (design.metrics[id].about == About::work) add_metric(evidence, id, lines);
  std::vector<ProfileLine> profile;
  for (const auto& contrast : design.contrasts)
    for (auto at = lines.lower_bound({contrast, MetricId{0}});
         at != lines.end() && at->first.first == contrast; ++at)
      profile.push_back(at->second);
  return profile;
}

}  // namespace assay::inline v1::judge
