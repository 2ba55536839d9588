#include "assay/judge/unpaired.hpp"

#include <algorithm>
#include <cmath>
#include <map>

#include "assay/judge/trust.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/many.hpp"
#include "assay/stats/unpaired.hpp"

namespace assay::judge {
namespace {

constexpr double level = 0.95;

Finding compare(const std::vector<double>& baseline, const std::vector<double>& candidate,
                const Metric& metric, double margin) {
  const bool ratio = metric.scale == Scale::ratio;
  const auto on_scale = [&](std::vector<double> values) {
    if (ratio)
      for (auto& v : values) v = std::log(v);
    return values;
  };
  const auto x = on_scale(candidate), y = on_scale(baseline);
  const auto test = stats::mann_whitney(x, y);
  const auto bounds = stats::shift_interval(x, y, level);
  const double estimate = stats::shift_estimate(x, y), limit = ratio ? std::log1p(margin) : margin;
  const auto back = [&](double v) { return ratio ? std::exp(v) : v; };
  Finding f{.rounds = std::min(x.size(), y.size()),
            .baseline_typical = stats::median(baseline),
            .candidate_typical = stats::median(candidate),
            .effect = back(estimate),
            .interval = {back(bounds.low), back(bounds.high), level},
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

std::vector<Finding> judge_unpaired(const Record& record) {
  std::vector<Finding> all;
  constexpr std::size_t fewest = 3;
  for (std::size_t m = 0; m < record.metrics.size(); ++m) {
    const auto& metric = record.metrics[m];
    if (!record.demands[m].watched || metric.prefer == Prefer::neither) continue;
    std::map<CellId, std::vector<double>> values;
    for (const auto& trial : record.trials)
      if (trial.role == Role::counted && !trial.round && trial.outcome == Outcome::ok)
        for (const auto& reading : trial.readings)
          if (reading.metric.place() == m) values[trial.cell].push_back(reading.value);
    std::vector<Finding> family;
    std::vector<double> p;
    for (const auto& contrast : record.contrasts) {
      const auto &baseline = values[contrast.baseline], &candidate = values[contrast.candidate];
      const auto usable = [&](const std::vector<double>& v) {
        return v.size() >= fewest && (metric.scale == Scale::difference || std::ranges::min(v) > 0);
      };
      if (!usable(baseline) || !usable(candidate)) continue;
      auto f = compare(baseline, candidate, metric, record.demands[m].margin.value_or(record.info.margin));
      f.of = contrast;
      f.metric = MetricId{static_cast<std::int64_t>(m)};
      f.notes.push_back(
          warning(name_of(record, contrast.candidate),
                  "not side by side: its values and the baseline's are not paired, so whatever changed "
                  "between them is in the difference"));
      const double other = stats::brunner_munzel(candidate, baseline).p;
      if ((other <= 1 - level) != (f.p <= 1 - level))
        f.notes.push_back(warning(name_of(record, contrast.candidate),
                                  "the Brunner-Munzel test, which lets the spreads differ, says otherwise",
                                  other, 1 - level));
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

}  // namespace assay::judge
