#include "assay/judge/unpaired.hpp"

#include <algorithm>
#include <cmath>
#include <map>

#include "assay/stats/location.hpp"
#include "assay/stats/many.hpp"
#include "assay/stats/unpaired.hpp"

namespace assay::inline v1::judge {
namespace {

constexpr double level = 0.95;

Finding compare(const std::vector<double>& baseline, const std::vector<double>& candidate,
                const Metric& metric, double margin) {
  const auto on_scale = [&](std::vector<double> values) {
    for (auto& v : values) v = value_on_test_scale(metric.scale, v);
    return values;
  };
  const auto x = on_scale(candidate), y = on_scale(baseline);
  const auto test = stats::mann_whitney(x, y);
  const auto bounds = stats::shift_interval(x, y, level);
  const double estimate = stats::shift_estimate(x, y), limit = margin_on_test_scale(metric.scale, margin);
  const auto back = [&](double v) { return Effect::of_test_scale(metric.scale, v); };
  Finding f{.rounds = std::min(x.size(), y.size()),
            .baseline_typical = stats::median(baseline),
            .candidate_typical = stats::median(candidate),
            .effect = back(estimate),
            .interval = {back(bounds.low).value, back(bounds.high).value, level},
            .margin = margin,
            .p = test.p,
            .settled = true,
            .method = test.exact ? "Mann-Whitney, exact" : "Mann-Whitney, approximate"};
  const bool changed = !(bounds.low <= 0 && 0 <= bounds.high) && std::abs(estimate) > limit;
  f.beyond_margin = bounds.low > limit || bounds.high < -limit;
  const bool lower = estimate < 0;
  if (changed)
    f.verdict = lower == (metric.prefer == Prefer::lower) ? Verdict::better : Verdict::worse;
  else if (bounds.low > -limit && bounds.high < limit)
    f.verdict = Verdict::same;
  return f;
}

}  // namespace

std::vector<Finding> judge_unpaired(const Evidence& evidence) {
  const auto& design = evidence.design;
  std::vector<Finding> all;
  constexpr std::size_t fewest = 3;
  for (const auto id : design.metrics.ids()) {
    const auto& metric = design.metrics[id];
    if (!metric.demand.watched || metric.prefer == Prefer::neither) continue;
    std::map<CellId, std::vector<double>> values;
    const auto& column = evidence.values(id, Evidence::From::unpaired);
    for (std::size_t i = 0; i < column.size(); ++i) values[column.cell[i]].push_back(column.value[i]);
    std::vector<Finding> family;
    std::vector<double> p;
    for (const auto& contrast : design.contrasts) {
      const auto &baseline = values[contrast.baseline], &candidate = values[contrast.candidate];
      const auto usable = [&](const std::vector<double>& v) {
        return v.size() >= fewest && fits(metric.scale, std::ranges::min(v));
      };
      if (!usable(baseline) || !usable(candidate)) continue;
      auto f = compare(baseline, candidate, metric, design.margin_of(id));
      f.of = contrast;
      f.metric = id;
      Note note{.kind = NoteKind::not_side_by_side,
                .subject = contrast.candidate,
                .level = Note::Level::warning,
                .metric = id};
      f.notes.push_back(note);
      const double other = stats::brunner_munzel(candidate, baseline).p;
      if ((other <= 1 - level) != (f.p <= 1 - level)) {
        note.kind = NoteKind::other_test;
        note.figure = other;
        note.threshold = 1 - level;
        f.notes.push_back(note);
      }
      p.push_back(f.p);
      family.push_back(std::move(f));
    }
    const auto adjusted = stats::adjust_benjamini_hochberg(p);
    for (std::size_t i = 0; i < family.size(); ++i) {
      auto& f = family[i];
      f.p_adjusted = adjusted[i];
      if (f.p_adjusted > 1 - level && (f.verdict == Verdict::better || f.verdict == Verdict::worse))
        f.verdict = Verdict::unclear;
      all.push_back(std::move(f));
    }
  }
  return all;
}

}  // namespace assay::inline v1::judge
