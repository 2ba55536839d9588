#include "assay/judge/paired.hpp"

#include <algorithm>
#include <cmath>
#include <vector>

#include "assay/model/error.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/require.hpp"
#include "assay/stats/signed_rank.hpp"
#include "assay/stats/walsh.hpp"

namespace assay::judge {
namespace {

/// More rounds than this are not proposed: then the effect is said to lie too near the margin.
constexpr double most_rounds_proposed = 10000;

std::vector<double> effects(std::span<const double> baseline, std::span<const double> candidate,
                            Scale scale) {
  std::vector<double> d(baseline.size());
  std::ranges::transform(baseline, candidate, d.begin(), [scale](double b, double c) {
    return scale == Scale::ratio ? std::log(c / b) : c - b;
  });
  return d;
}

Verdict verdict_of(double estimate, const stats::Bounds& interval, double margin, Prefer prefer) {
  if (interval.low >= -margin && interval.high <= margin) return Verdict::same;
  const bool excludes_no_change = interval.low > 0 || interval.high < 0;
  if (!excludes_no_change || std::abs(estimate) <= margin || prefer == Prefer::neither)
    return Verdict::unclear;
  return (estimate < 0) == (prefer == Prefer::lower) ? Verdict::better : Verdict::worse;
}

/// Rounds until the interval, shrinking with the root of their number, would lie on one side.
Price price(double estimate, const stats::Bounds& interval, double margin, std::size_t n) {
  const double half_width = 0.5 * (interval.high - interval.low);
  const double room = std::abs(estimate) > margin ? std::abs(estimate) : margin - std::abs(estimate);
  if (!std::isfinite(half_width)) return {.why = "too few rounds to tell how many are needed"};
  const double needed = std::ceil(static_cast<double>(n) * std::pow(half_width / room, 2) * 1.1);
  if (!(needed <= most_rounds_proposed))
    return {.why = "not within any sensible number of rounds: the effect is near the margin"};
  return {.rounds = std::max(static_cast<int>(needed), static_cast<int>(n) + 1)};
}

}  // namespace

Finding judge_paired(std::span<const double> baseline, std::span<const double> candidate,
                     const Question& question) {
  const auto scale = question.metric.scale;
  stats::require_same_length(baseline, candidate);
  for (const auto side : {baseline, candidate})
    scale == Scale::ratio ? stats::require_positive(side) : stats::require_finite(side);
  stats::require_level(question.level);
  if (!(question.margin >= 0)) throw DomainError("a margin must not be negative", {}, question.margin);

  const auto d = effects(baseline, candidate, scale);
  const stats::WalshAverages walsh(d);
  const stats::SignedRank null(d.size());
  const double margin = scale == Scale::ratio ? std::log1p(question.margin) : question.margin;
  const double estimate = walsh.median();
  const auto interval = walsh.interval(null.critical_count(1 - question.level));

  Finding finding;
  finding.rounds = d.size();
  finding.baseline_typical = stats::median(baseline);
  finding.candidate_typical = stats::median(candidate);
  finding.margin = question.margin;
  finding.method = "signed-rank test of per-round effects, Walsh-average interval";
  finding.verdict = verdict_of(estimate, interval, margin, question.metric.prefer);
  finding.beyond_margin = interval.low > margin || interval.high < -margin;
  finding.p = null.p_two_sided(std::min(walsh.at_or_below(0), walsh.at_or_above(0)));
  finding.p_same = null.p_two_sided(std::max(walsh.at_or_below(-margin), walsh.at_or_above(margin)));
  finding.p_adjusted = finding.p;
  if (finding.verdict == Verdict::unclear) finding.to_settle = price(estimate, interval, margin, d.size());
  const auto shown = [scale](double effect) { return scale == Scale::ratio ? std::exp(effect) : effect; };
  finding.effect = shown(estimate);
  finding.interval = {shown(interval.low), shown(interval.high), question.level};
  return finding;
}

}  // namespace assay::judge
