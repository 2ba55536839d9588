#include "assay/judge/effect.hpp"

#include <algorithm>
#include <cmath>

#include "assay/model/error.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/require.hpp"

namespace assay::judge {
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
  std::ranges::transform(baseline, candidate, d.begin(), [scale](double b, double c) {
    return scale == Scale::ratio ? std::log(c / b) : c - b;
  });
  return d;
}

}  // namespace

Effect::Effect(std::span<const double> baseline, std::span<const double> candidate, const Question& question)
    : question_(question),
      walsh_(effects(baseline, candidate, question)),
      baseline_typical_(stats::median(baseline)),
      candidate_typical_(stats::median(candidate)),
      margin_(question.metric.scale == Scale::ratio ? std::log1p(question.margin) : question.margin),
      estimate_(walsh_.median()) {}

std::uint64_t Effect::count_of_no_change() const {
  return std::min(walsh_.at_or_below(0), walsh_.at_or_above(0));
}

std::uint64_t Effect::count_of_same() const {
  return std::max(walsh_.at_or_below(-margin_), walsh_.at_or_above(margin_));
}

Verdict Effect::direction() const {
  return (estimate_ < 0) == (question_.metric.prefer == Prefer::lower) ? Verdict::better : Verdict::worse;
}

Finding Effect::describe(std::uint64_t critical_count, double level) const {
  const auto interval = walsh_.interval(critical_count);
  const auto shown = [&](double effect) {
    return question_.metric.scale == Scale::ratio ? std::exp(effect) : effect;
  };
  Finding finding;
  finding.rounds = n();
  finding.baseline_typical = baseline_typical_;
  finding.candidate_typical = candidate_typical_;
  finding.margin = question_.margin;
  finding.method = "signed-rank test of per-round effects, Walsh-average interval";
  finding.beyond_margin = interval.low > margin_ || interval.high < -margin_;
  finding.effect = shown(estimate_);
  finding.interval = {shown(interval.low), shown(interval.high), level};
  finding.to_settle = price_of(estimate_, 0.5 * (interval.high - interval.low), margin_, n());
  return finding;
}

Price price_of(double estimate, double half_width, double margin, std::size_t n) {
  constexpr double most_rounds_proposed = 10000;
  constexpr double to_be_fairly_sure = 1.1;
  if (!std::isfinite(half_width)) return {.why = "too few rounds to tell how many are needed"};
  const double size = std::abs(estimate);
  const double room = size > margin ? size : margin - size;
  const double needed =
      std::ceil(to_be_fairly_sure * static_cast<double>(n) * std::pow(half_width / room, 2));
  if (!(needed <= most_rounds_proposed))
    return {.why = "not within any sensible number of rounds: the effect is near the margin"};
  return {.rounds = std::max(static_cast<int>(needed), static_cast<int>(n) + 1)};
}

}  // namespace assay::judge
