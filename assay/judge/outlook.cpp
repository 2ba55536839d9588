#include "assay/judge/outlook.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <vector>

#include "assay/judge/pairs.hpp"
#include "assay/judge/slots.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/schedule/forecast.hpp"

namespace assay::inline v1::judge {
namespace {

constexpr std::size_t fewest_pilots = 3;

Expected as_change(const schedule::Forecast& log_ratio) {
  return {std::expm1(log_ratio.typical), std::expm1(log_ratio.low), std::expm1(log_ratio.high)};
}

Prospect prospect_of(const PairedSeries& series, MetricId metric, double margin, std::size_t rounds,
                     std::size_t findings) {
  Prospect prospect{.of = series.of, .metric = metric, .margin = margin};
  std::vector<double> effects;
  for (std::size_t i = 0; i < series.rounds.size(); ++i)
    effects.push_back(effect_of_pair(Scale::ratio, series.baseline[i], series.candidate[i]));
  if (std::ranges::all_of(effects, [&](double e) { return e == effects.front(); })) {
    prospect.change = Expected{};
    return prospect;
  }
  const schedule::Wish wish{.findings = findings};
  if (const auto change = schedule::smallest_change(effects, rounds, wish))
    prospect.change = as_change(*change);
  const auto same = schedule::rounds_to_say_same(effects, std::log1p(margin), wish);
  prospect.rounds_to_same = Expected{same.typical, same.low, same.high};
  return prospect;
}

}  // namespace

Outlook look_ahead(const Evidence& evidence, Evidence::From pilots, std::optional<double> budget,
                   const Table<CellId, int>& slots, const Table<CellId, double>& pauses) {
  const auto& design = evidence.design;
  Outlook outlook{.rounds_min = design.rules.rounds_min,
                  .rounds_max = design.rules.rounds_max,
                  .rounds = design.rules.rounds_max,
                  .budget = budget};
  const auto times = trial_costs(evidence);
  std::vector<Contrast> open;
  std::map<CellId, double> in_round;
  for (const auto& contrast : design.contrasts) {
    if (!evidence.is_sound(contrast)) continue;
    if (!design.is_twin(contrast.candidate)) open.push_back(contrast);
    for (const auto cell : {contrast.baseline, contrast.candidate}) {
      const auto time = times.find(cell);
      in_round[cell] = time == times.end() ? 0 : (time->second + pauses[cell]) * slots[cell];
    }
    if (design.rules.rounds_max == 0 || design.is_twin(contrast.candidate)) continue;
    const auto looks = looks_of(design.rules, {slots[contrast.baseline], slots[contrast.candidate]});
    const int first = looks.counts().front();
    outlook.first_look = outlook.first_look == 0 ? first : std::min(outlook.first_look, first);
  }
  outlook.comparisons = open.size();
  outlook.cells = in_round.size();
  constexpr double share_of_rounds_with_twins = 0.25;
  for (const auto& [cell, seconds] : in_round) {
    outlook.round_seconds += design.is_twin(cell) ? share_of_rounds_with_twins * seconds : seconds;
    if (!design.is_twin(cell)) continue;
    ++outlook.twins;
    outlook.twin_seconds += share_of_rounds_with_twins * seconds;
  }
  if (budget && outlook.round_seconds > 0)  // the warm-up takes one of them
    outlook.rounds = std::clamp(static_cast<int>(*budget / outlook.round_seconds) - 1, 0, outlook.rounds);
  for (const auto id : design.metrics.ids()) {
    const auto& metric = design.metrics[id];
    if (!metric.demand.watched || metric.scale == Scale::difference || metric.exact ||
        metrics::is_implied(metric))
      continue;
    const auto cells = by_cell(evidence.values(id, pilots));
    for (const auto& contrast : open) {
      const auto series = pair_up(contrast, cells);
      const int independent = Repeats{.layouts = layouts_of(design, contrast)}.values_of(outlook.rounds);
      if (series.rounds.size() >= fewest_pilots && all_fit(series, metric.scale))
        outlook.prospects.push_back(prospect_of(series, id, design.margin_of(id),
                                                static_cast<std::size_t>(independent), open.size()));
    }
  }
  return outlook;
}

}  // namespace assay::inline v1::judge
