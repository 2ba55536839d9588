#include <algorithm>
#include <boost/math/distributions/normal.hpp>
#include <boost/math/distributions/students_t.hpp>
#include <cmath>
#include <map>
#include <numeric>
#include <optional>
#include <tuple>
#include <utility>
#include <vector>

#include "assay/judge/aggregates.hpp"
#include "assay/judge/paired_series.hpp"
#include "assay/judge/sequential.hpp"
#include "assay/model/plan.hpp"
#include "assay/stats/change_posterior.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/multiple_testing.hpp"

namespace assay::judge {
namespace {

/// Each comparison's share of the whole: its workload's weight, divided among that workload's comparisons.
std::vector<double> shares_of(const Design& design, const std::vector<PairedSeries>& all) {
  const auto workload_of = [&](const PairedSeries& series) {
    return design.cells[series.comparison.candidate].workload;
  };
  std::map<WorkloadId, double> comparisons;
  for (const auto& series : all) ++comparisons[workload_of(series)];
  std::vector<double> shares;
  for (const auto& series : all) {
    const auto workload = workload_of(series);
    shares.push_back(design.workloads[workload].weight / comparisons[workload]);
  }
  const double whole = std::accumulate(shares.begin(), shares.end(), 0.0);
  for (auto& share : shares) share /= whole;
  return shares;
}

/// A candidate's comparisons on one metric, as logarithms of ratios.
struct Strata {
  std::vector<Comparison> of;
  std::vector<std::vector<double>> changes;
  std::vector<double> shares;
  std::size_t fewest = 0;
};

Strata strata_of(const Design& design, const std::vector<PairedSeries>& all) {
  Strata strata{.shares = shares_of(design, all)};
  for (const auto& series : all) {
    auto baseline = series.baseline, candidate = series.candidate;
    if (series.replication.layouts > 0)
      std::tie(baseline, candidate) = layout_means(series, series.rounds.size(), Scale::ratio);
    std::vector<double> changes;
    for (std::size_t i = 0; i < baseline.size(); ++i)
      changes.push_back(transformed_effect(Scale::ratio, baseline[i], candidate[i]));
    strata.fewest = strata.of.empty() ? changes.size() : std::min(strata.fewest, changes.size());
    strata.of.push_back(series.comparison);
    strata.changes.push_back(std::move(changes));
  }
  return strata;
}

/// How the comparisons lie about their common change.
void look_at_parts(const Strata& strata, Overall& overall) {
  constexpr double least_error = 1e-9, rate = 0.05;
  const auto count = strata.changes.size();
  std::vector<double> means, errors;
  for (const auto& changes : strata.changes) {
    means.push_back(stats::mean(changes));
    errors.push_back(
        std::max(std::sqrt(stats::variance(changes) / static_cast<double>(changes.size())), least_error));
  }
  const auto all = stats::inverse_variance_mean(means, errors);
  overall.between = std::sqrt(all.between);
  overall.p_homogeneous = all.alike.p;
  std::vector<double> p;
  for (std::size_t s = 0; s < count; ++s) {
    const double kept = all.between / (all.between + errors[s] * errors[s]);
    overall.parts.push_back(
        {.comparison = strata.of[s],
         .raw = Effect::from_transformed(Scale::ratio, means[s]),
         .shrunk = Effect::from_transformed(Scale::ratio, kept * means[s] + (1 - kept) * all.value)});
    auto other_means = means, other_errors = errors;
    other_means.erase(other_means.begin() + static_cast<std::ptrdiff_t>(s));
    other_errors.erase(other_errors.begin() + static_cast<std::ptrdiff_t>(s));
    const auto others = stats::inverse_variance_mean(other_means, other_errors);
    const boost::math::students_t t(
        std::max(static_cast<double>(std::min(strata.changes[s].size(), count)) - 1, 1.0));
    // What one more comparison like the others would show besides its own error.
    const double spread =
        std::sqrt(errors[s] * errors[s] + others.standard_error * others.standard_error + others.between);
    p.push_back(2 * cdf(complement(t, std::abs(means[s] - others.value) / spread)));
  }
  const auto adjusted = stats::adjust_holm(p);
  for (std::size_t s = 0; s < count; ++s) overall.parts[s].differs = adjusted[s] <= rate;
}

/// The findings of several candidates, as one family: each the weighted mean of its comparisons.
std::vector<Finding> judge_means(const std::vector<Strata>& all, const TestFamily& family) {
  const double q = (1 - family.options.level) * family.share;
  const double margin = transformed_margin(Scale::ratio, family.options.margin);
  std::vector<stats::StratifiedMean> means;
  std::vector<double> p, changed, same;
  for (const auto& strata : all) {
    const auto& mean = means.emplace_back(strata.changes, strata.shares);
    p.push_back(std::min(1.0, 2 * std::min(mean.p_above(0), mean.p_below(0))));
    changed.push_back(std::abs(mean.estimate()) > margin ? p.back() : 1);
    same.push_back(std::min(1.0, 2 * std::max(mean.p_above(-margin), mean.p_below(margin))));
  }
  const auto called = stats::adjust_benjamini_hochberg(changed),
             alike = stats::adjust_benjamini_hochberg(same);
  const auto selected = static_cast<double>(std::ranges::count_if(called, [q](double x) { return x <= q; }));
  const double level = 1 - std::max(selected, 1.0) * q / static_cast<double>(all.size());
  std::vector<Finding> findings;
  for (std::size_t i = 0; i < all.size(); ++i) {
    const auto bounds = means[i].interval(level);
    const auto shown = [](double x) { return Effect::from_transformed(Scale::ratio, x); };
    Finding f{.comparison = all[i].of.front(),
              .rounds = all[i].fewest,
              .effect = shown(means[i].estimate()),
              .interval = {shown(bounds.low).value, shown(bounds.high).value, level},
              .margin = family.options.margin,
              .p = p[i],
              .p_equivalence = same[i],
              .p_adjusted = std::min(1.0, called[i] / family.share),
              .method = TestMethod::weighted_mean};
    f.beyond_margin = bounds.low > margin || bounds.high < -margin;
    const bool falls = means[i].estimate() < 0;
    if (alike[i] <= q)
      f.verdict = Verdict::same;
    else if (called[i] <= q)
      f.verdict =
          falls == (family.options.metric.direction != Direction::higher) ? Verdict::better : Verdict::worse;
    findings.push_back(std::move(f));
  }
  return findings;
}

bool disagree(const Findings& findings, CandidateId candidate, MetricId metric) {
  bool better = false, worse = false;
  for (const auto& f : findings.findings) {
    if (f.metric != metric || findings.candidate_cell(f).candidate != candidate) continue;
    better = better || f.verdict == Verdict::better;
    worse = worse || f.verdict == Verdict::worse;
  }
  return better && worse;
}

/// The factor of sizes with which a candidate's ratio to its baseline changes: the intervals of their
/// exponents don't touch. Empty when there is none.
std::string changes_with(const Findings& findings, CandidateId candidate, std::optional<CandidateId> against,
                         MetricId metric) {
  for (const auto& mine : findings.scaling)
    for (const auto& its : findings.scaling)
      if (mine.candidate == candidate && its.candidate == against && mine.metric == metric &&
          its.metric == metric && mine.workload == its.workload && mine.factor == its.factor &&
          mine.others == its.others && mine.exponent && its.exponent &&
          (mine.exponent_interval.low > its.exponent_interval.high ||
           mine.exponent_interval.high < its.exponent_interval.low))
        return mine.factor;
  return {};
}

}  // namespace

std::vector<Overall> judge_overall(const Observations& evidence, const Findings& findings) {
  const auto& design = evidence.design;
  std::vector<Overall> result;
  for (const auto metric : design.metrics.ids()) {
    const auto& what = design.metrics[metric];
    if (!what.request.watched || what.exact || what.scale == Scale::difference) continue;
    const auto& cells = evidence.by_cell(metric);
    std::map<CandidateId, std::vector<PairedSeries>> of;
    for (const auto& comparison : design.comparisons) {
      if (design.is_twin(comparison.candidate) || !evidence.is_ok(comparison)) continue;
      auto series = make_pairs(comparison, cells);
      series.replication.layouts = layouts_of(design, comparison);
      if (series.rounds.empty() || !all_valid(series, what.scale)) continue;
      of[design.cells[comparison.candidate].candidate].push_back(std::move(series));
    }
    std::vector<Strata> strata;
    const auto first = result.size();
    for (const auto& [candidate, series] : of) {
      if (series.size() < 2) continue;
      strata.push_back(strata_of(design, series));
      result.push_back({.candidate = candidate,
                        .metric = metric,
                        .cells = series.size(),
                        .finding = {},
                        .agree = !disagree(findings, candidate, metric)});
    }
    if (strata.empty()) continue;
    auto judged = judge_means(strata, family_rules(design, metric, {}, judges_wall_time(evidence)));
    for (std::size_t i = 0; i < judged.size(); ++i) {
      auto& overall = result[first + i];
      overall.finding = std::move(judged[i]);
      overall.finding.metric = metric;
      overall.rounds = strata[i].fewest;
      if (overall.rounds < static_cast<std::size_t>(fewest_rounds))
        overall.obstacle = Overall::Obstacle::too_few_rounds;
      else
        look_at_parts(strata[i], overall);
      overall.factor =
          changes_with(findings, overall.candidate, design.candidates[overall.candidate].baseline, metric);
      if (!overall.factor.empty()) overall.obstacle = Overall::Obstacle::changes_with_size;
    }
  }
  return result;
}

std::vector<Effect> drawn_together(std::span<const Finding* const> findings) {
  constexpr std::size_t fewest = 4;
  constexpr double least_error = 1e-9;
  std::vector<Effect> effects;
  std::vector<double> values, errors;
  for (const auto* f : findings) {
    effects.push_back(f->effect);
    const double half = half_width(f->effect.scale, f->interval);
    if (!f->effect.is_ratio() || !std::isfinite(half)) continue;
    const boost::math::normal normal;
    values.push_back(f->effect.transformed());
    const bool exact = half == 0 || f->interval.level >= 1;
    errors.push_back(exact ? least_error
                           : std::max(half / quantile(normal, (1 + f->interval.level) / 2), least_error));
  }
  if (values.size() < fewest || values.size() < effects.size()) return effects;
  const auto all = stats::inverse_variance_mean(values, errors);
  for (std::size_t i = 0; i < values.size(); ++i) {
    const double kept = all.between / (all.between + errors[i] * errors[i]);
    effects[i] = Effect::from_transformed(Scale::ratio, kept * values[i] + (1 - kept) * all.value);
  }
  return effects;
}

}  // namespace assay::judge
