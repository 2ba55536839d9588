#include "assay/judge/unpaired.hpp"

#include <algorithm>
#include <map>

#include "assay/judge/paired_test.hpp"
#include "assay/stats/hodges_lehmann.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/multiple_testing.hpp"
#include "assay/stats/rank_sum.hpp"

namespace assay::judge {
namespace {

/// The two sides of a comparison, as tests see them.
struct Sides {
  std::vector<double> baseline, candidate;
};

std::vector<double> on_test_scale(std::vector<double> values, Scale scale) {
  for (auto& v : values) v = transformed_value(scale, v);
  return values;
}

/// Everything but the interval and what follows from it.
Finding compare(const std::vector<double>& baseline, const std::vector<double>& candidate, const Sides& sides,
                const Metric& metric, double margin) {
  const auto test = stats::mann_whitney(sides.candidate, sides.baseline);
  return {.rounds = std::min(baseline.size(), candidate.size()),
          .baseline_typical = stats::median(baseline),
          .candidate_typical = stats::median(candidate),
          .effect =
              Effect::from_transformed(metric.scale, stats::shift_estimate(sides.candidate, sides.baseline)),
          .margin = margin,
          .p = test.p,
          .decided = true,
          .method = test.exact ? TestMethod::mann_whitney_exact : TestMethod::mann_whitney_approximate};
}

/// `differs` where it is called at a level of `alpha`, `same` where the interval lies inside the margin.
void decide(Finding& f, const Sides& sides, const Metric& metric, double alpha, bool called) {
  const auto bounds = stats::shift_interval(sides.candidate, sides.baseline, 1 - alpha);
  const auto back = [&](double v) { return Effect::from_transformed(metric.scale, v).value; };
  const double limit = transformed_margin(metric.scale, f.margin);
  f.interval = {back(bounds.low), back(bounds.high), 1 - alpha};
  f.beyond_margin = bounds.low > limit || bounds.high < -limit;
  if (called)
    f.verdict = Verdict::differs;
  else if (bounds.low > -limit && bounds.high < limit)
    f.verdict = Verdict::same;
}

}  // namespace

std::vector<Finding> judge_unpaired(const Observations& evidence) {
  const auto& design = evidence.design;
  std::vector<Finding> all;
  constexpr std::size_t fewest = 3;
  for (const auto id : design.metrics.ids()) {
    const auto& metric = design.metrics[id];
    if (!metric.request.watched || metric.direction == Direction::neither) continue;
    std::map<CellId, std::vector<double>> values;
    const auto& column = evidence.values(id, Observations::Source::unpaired);
    for (std::size_t i = 0; i < column.size(); ++i) values[column.cell[i]].push_back(column.value[i]);
    std::vector<Finding> family;
    std::vector<Sides> sides;
    std::vector<double> p;
    for (const auto& comparison : design.comparisons) {
      const auto &baseline = values[comparison.baseline], &candidate = values[comparison.candidate];
      const auto usable = [&](const std::vector<double>& v) {
        return v.size() >= fewest && is_valid_value(metric.scale, std::ranges::min(v));
      };
      if (!usable(baseline) || !usable(candidate)) continue;
      sides.push_back({on_test_scale(baseline, metric.scale), on_test_scale(candidate, metric.scale)});
      auto f = compare(baseline, candidate, sides.back(), metric, design.margin_of(id));
      f.comparison = comparison;
      f.metric = id;
      Note note{.kind = NoteKind::unpaired,
                .subject = comparison.candidate,
                .level = Note::Level::warning,
                .metric = id};
      f.notes.push_back(note);
      const double other = stats::brunner_munzel(candidate, baseline).p;
      if ((other <= error_rate) != (f.p <= error_rate)) {
        note.kind = NoteKind::test_disagreement;
        note.value = other;
        note.threshold = error_rate;
        f.notes.push_back(note);
      }
      const bool beyond = f.effect.distance() > transformed_margin(metric.scale, f.margin);
      p.push_back(beyond ? f.p : 1);
      family.push_back(std::move(f));
    }
    const auto adjusted = stats::adjust_benjamini_hochberg(p);
    const auto called = [&](std::size_t i) { return adjusted[i] <= error_rate; };
    double calls = 0;
    for (std::size_t i = 0; i < family.size(); ++i) calls += called(i) ? 1 : 0;
    for (std::size_t i = 0; i < family.size(); ++i) {
      auto& f = family[i];
      f.p_adjusted = adjusted[i];
      const double share = (called(i) ? calls : 1) / static_cast<double>(family.size());
      decide(f, sides[i], metric, error_rate * share, called(i));
      all.push_back(std::move(f));
    }
  }
  return all;
}

}  // namespace assay::judge
