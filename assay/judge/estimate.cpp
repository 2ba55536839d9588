#include "assay/judge/estimate.hpp"

#include <algorithm>
#include <cmath>

#include "assay/model/error.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/require.hpp"

namespace assay::inline v1::judge {
namespace {

std::vector<double> effects(std::span<const double> baseline, std::span<const double> candidate,
                            const Question& question) {
  const auto scale = question.metric.scale;
  stats::require_same_length(baseline, candidate);
  for (const auto side : {baseline, candidate})
    scale == Scale::ratio ? stats::require_positive(side) : stats::require_finite(side);
  stats::require_level(question.level);
  if (!(question.margin >= 0)) throw DomainError("a margin must not be negative", {}, question.margin);
  std::vector<double> d(baseline.size());
  std::ranges::transform(baseline, candidate, d.begin(),
                         [scale](double b, double c) { return effect_of_pair(scale, b, c); });
  return d;
}

}  // namespace

Estimate::Estimate(std::span<const double> baseline, std::span<const double> candidate,
                   const Question& question)
    : scale_(question.metric.scale),
      prefer_(question.metric.prefer),
      asked_margin_(question.margin),
      walsh_(effects(baseline, candidate, question)),
      baseline_typical_(stats::median(baseline)),
      candidate_typical_(stats::median(candidate)),
      margin_(margin_on_test_scale(question.metric.scale, question.margin)),
      estimate_(walsh_.median()) {}

std::uint64_t Estimate::count_of_no_change() const {
  return std::min(walsh_.at_or_below(0), walsh_.at_or_above(0));
}

std::uint64_t Estimate::count_of_same() const {
  return std::max(walsh_.at_or_below(-margin_), walsh_.at_or_above(margin_));
}

Verdict Estimate::direction() const {
  return (estimate_ < 0) == (prefer_ == Prefer::lower) ? Verdict::better : Verdict::worse;
}

Finding Estimate::describe(std::uint64_t critical_count, double level) const {
  const auto interval = walsh_.interval(critical_count);
  const auto shown = [&](double x) { return Effect::of_test_scale(scale_, x); };
  Finding finding;
  finding.rounds = n();
  finding.baseline_typical = baseline_typical_;
  finding.candidate_typical = candidate_typical_;
  finding.margin = asked_margin_;
  finding.method = "signed-rank test of per-round effects, Walsh-average interval";
  finding.beyond_margin = interval.low > margin_ || interval.high < -margin_;
  finding.effect = shown(estimate_);
  finding.interval = {shown(interval.low).value, shown(interval.high).value, level};
  finding.to_settle = price_of(estimate_, 0.5 * (interval.high - interval.low), margin_, n());
  return finding;
}

Price price_of(double estimate, double half_width, double margin, std::size_t n) {
  constexpr double most_rounds_proposed = 10000;
  constexpr double to_be_fairly_sure = 1.1;
  if (!std::isfinite(half_width)) return {.obstacle = Price::Obstacle::too_few_rounds};
  const double size = std::abs(estimate);
  const double room = size > margin ? size : margin - size;
  const double needed =
      std::ceil(to_be_fairly_sure * static_cast<double>(n) * std::pow(half_width / room, 2));
  if (!(needed <= most_rounds_proposed)) return {.obstacle = Price::Obstacle::near_margin};
  return {.rounds = std::max(static_cast<int>(needed), static_cast<int>(n) + 1)};
}

}  // namespace assay::inline v1::judge
