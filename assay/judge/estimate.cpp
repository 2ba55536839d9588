#include "assay/judge/estimate.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
#include <utility>

#include "assay/model/error.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/require.hpp"

namespace assay::inline v1::judge {
namespace {

/// With more rounds than these an interval of all runs is narrow enough, and thousands of tests would take
/// long.
constexpr std::size_t most_clipped = 1000;

/// Where the fast runs are judged the same, typical ones must be within so many margins.
constexpr double wider_for_typical = 5;

void require_fit(std::span<const double> baseline, std::span<const double> candidate,
                 const Question& question) {
  if (!question.repeats.any()) stats::require_same_length(baseline, candidate);
  for (const auto side : {baseline, candidate})
    question.metric.scale == Scale::ratio ? stats::require_positive(side) : stats::require_finite(side);
  stats::require_level(question.level);
  if (!(question.margin >= 0)) throw DomainError("a margin must not be negative", {}, question.margin);
}

std::vector<double> on_test_scale(std::span<const double> values, Scale scale, double sign) {
  std::vector<double> result(values.size());
  std::ranges::transform(values, result.begin(),
                         [&](double value) { return sign * value_on_test_scale(scale, value); });
  return result;
}

std::vector<double> differences(const std::vector<double>& a, const std::vector<double>& b) {
  std::vector<double> d(a.size());
  std::ranges::transform(b, a, d.begin(), std::minus{});
  return d;
}

std::variant<stats::WalshAverages, stats::WithinRounds> all_of(const std::vector<double>& a,
                                                               const std::vector<double>& b,
                                                               const Repeats& repeats) {
  if (!repeats.any()) return stats::WalshAverages(differences(a, b));
  return stats::WithinRounds(a, b, static_cast<std::size_t>(repeats.baseline),
                             static_cast<std::size_t>(repeats.candidate));
}

}  // namespace

Estimate::All::All(const std::vector<double>& a, const std::vector<double>& b, const Repeats& repeats)
    : of_(all_of(a, b, repeats)) {}

std::uint64_t Estimate::All::total() const {
  return std::visit([](const auto& of) { return of.total(); }, of_);
}

std::uint64_t Estimate::All::at_or_below(double shift) const {
  return std::visit([&](const auto& of) { return of.at_or_below(shift); }, of_);
}

std::uint64_t Estimate::All::at_or_above(double shift) const {
  return std::visit([&](const auto& of) { return of.at_or_above(shift); }, of_);
}

double Estimate::All::median() const {
  return std::visit([](const auto& of) { return of.median(); }, of_);
}

stats::Bounds Estimate::All::interval(std::uint64_t critical_count) const {
  return std::visit([&](const auto& of) { return of.interval(critical_count); }, of_);
}

Estimate::Estimate(std::span<const double> baseline, std::span<const double> candidate,
                   const Question& question)
    : scale_((require_fit(baseline, candidate, question), question.metric.scale)),
      prefer_(question.metric.prefer),
      repeats_(question.repeats),
      all_runs_(question.all_runs || repeats_.any() || prefer_ == Prefer::neither ||
                baseline.size() > most_clipped),
      asked_margin_(question.margin),
      margin_(margin_on_test_scale(scale_, question.margin)),
      a_(on_test_scale(baseline, scale_, prefer_ == Prefer::higher ? -1 : 1)),
      b_(on_test_scale(candidate, scale_, prefer_ == Prefer::higher ? -1 : 1)),
      sign_(prefer_ == Prefer::higher ? -1 : 1),
      all_(a_, b_, repeats_),
      baseline_typical_(stats::median(baseline)),
      candidate_typical_(stats::median(candidate)) {
  if (!all_runs_) {
    stats::ClippedSignedRank chosen(a_, b_);
    if (chosen.is_fast()) fast_ = std::move(chosen);
  }
}

double Estimate::estimate() const {
  if (!estimate_) estimate_ = sign_ * (fast_ ? fast_->estimate() : all_.median());
  return *estimate_;
}

bool Estimate::beyond_margin() const { return estimate() > margin_ || estimate() < -margin_; }

std::uint64_t Estimate::count_of_no_change() const {
  return fast_ ? fast_->count(0) : std::min(all_.at_or_below(0), all_.at_or_above(0));
}

std::uint64_t Estimate::count_of_same() const {
  if (!fast_) return std::max(all_.at_or_below(-margin_), all_.at_or_above(margin_));
  return std::max({fast_->counts(-margin_).at_or_below, fast_->counts(margin_).at_or_above,
                   all_.at_or_below(-wider_for_typical * margin_),
                   all_.at_or_above(wider_for_typical * margin_)});
}

bool Estimate::is_within_margin(const Finding& described) const {
  const auto inside = [&](const Interval& interval, double margins) {
    const auto at = [&](double x) { return std::abs(Effect{scale_, x}.on_test_scale()); };
    return std::max(at(interval.low), at(interval.high)) <= margins * margin_;
  };
  return inside(described.interval, 1) &&
         (!described.typical || inside(described.typical->interval, wider_for_typical));
}

bool Estimate::lies_beyond_margin() const {
  const auto is_beyond = [half = all_.total() / 2](std::uint64_t above_low, std::uint64_t below_high) {
    return above_low < half || below_high < half;
  };
  if (!fast_) return is_beyond(all_.at_or_above(-margin_), all_.at_or_below(margin_));
  return is_beyond(fast_->counts(-margin_).at_or_above, fast_->counts(margin_).at_or_below);
}

bool Estimate::would_settle(const std::vector<double>& a, const std::vector<double>& b,
                            std::uint64_t critical_count) const {
  const Estimate next(a, b,
                      {.metric = {.name = "continued", .scale = Scale::difference},
                       .margin = margin_,
                       .all_runs = all_runs_,
                       .repeats = repeats_});
  const auto count = next.lies_beyond_margin() ? next.count_of_no_change() : next.count_of_same();
  return count < critical_count;
}

Price Estimate::price(std::uint64_t critical_count) const {
  const auto bounds = interval(critical_count);
  return price_of(estimate(), 0.5 * (bounds.high - bounds.low), margin_, n());
}

Verdict Estimate::direction() const {
  return (estimate() < 0) == (prefer_ == Prefer::lower) ? Verdict::better : Verdict::worse;
}

bool Estimate::slow_runs_disagree() const {
  constexpr double level = 0.05;
  if (all_runs_) return false;
  const int direction = sign_ * estimate() < 0 ? -1 : 1;
  double smaller = 1;
  for (const std::size_t rank : {std::size_t{1}, (n() + 7) / 8}) {
    const auto part = stats::slow_part(a_, b_, 0, rank);
    if (part.direction != -direction) return false;
    smaller = std::min(smaller, part.p);
  }
  return 2 * smaller <= level;
}

int Estimate::slow_runs() const {
  constexpr double level = 0.05;
  if (!fast_) return 0;
  const auto shape = stats::shape_of(a_, b_);
  return shape.p <= level ? shape.direction * (sign_ < 0 ? -1 : 1) : 0;
}

stats::Bounds Estimate::interval(std::uint64_t critical_count) const {
  const std::array anchors = {0.0, -margin_, margin_};
  return fast_ ? fast_->interval(critical_count, anchors) : all_.interval(critical_count);
}

Finding Estimate::describe(std::uint64_t critical_count, double level) const {
  const auto turned = [&](const stats::Bounds& b) { return sign_ < 0 ? stats::Bounds{-b.high, -b.low} : b; };
  const auto interval = turned(this->interval(critical_count));
  const auto shown = [&](double x) { return Effect::of_test_scale(scale_, x); };
  Finding finding;
  finding.rounds = n();
  finding.baseline_typical = baseline_typical_;
  finding.candidate_typical = candidate_typical_;
  finding.margin = asked_margin_;
  finding.repeats = repeats_;
  finding.method = is_fast()        ? "clipped signed-rank test of paired rounds, fast runs"
                   : repeats_.any() ? "blocked rank test of rounds with repeats, interval of the differences"
                                      " within rounds"
                                    : "signed-rank test of paired rounds, Walsh-average interval";
  finding.beyond_margin = interval.low > margin_ || interval.high < -margin_;
  finding.effect = shown(estimate());
  finding.interval = {shown(interval.low).value, shown(interval.high).value, level};
  if (is_fast()) {
    const auto wide = turned(all_.interval(critical_count));
    finding.typical = TypicalRuns{.effect = shown(sign_ * all_.median()),
                                  .interval = {shown(wide.low).value, shown(wide.high).value, level}};
  }
  finding.to_settle = price_of(estimate(), 0.5 * (interval.high - interval.low), margin_, n());
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
