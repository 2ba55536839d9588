#include "assay/judge/paired_test.hpp"

#include <algorithm>
#include <array>
#include <boost/math/distributions/students_t.hpp>
#include <cmath>
#include <functional>
#include <utility>

#include "assay/metrics/catalogue.hpp"
#include "assay/model/error.hpp"
#include "assay/schedule/interim_looks.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/preconditions.hpp"

namespace assay::judge {

namespace {

/// With more rounds than these an interval of all runs is narrow enough, and thousands of tests would take
/// long.
constexpr std::size_t most_clipped = 1000;

/// Where the fast runs are judged the same, typical ones must be within so many margins.
constexpr double wider_for_typical = 5;

void require_fit(std::span<const double> baseline, std::span<const double> candidate,
                 const PairedTestOptions& question) {
  if (!question.replication.is_replicated()) stats::require_same_length(baseline, candidate);
  for (const auto side : {baseline, candidate})
    question.metric.scale == Scale::ratio ? stats::require_positive(side) : stats::require_finite(side);
  stats::require_level(question.level);
  if (!(question.margin >= 0)) throw DomainError("a margin must not be negative", {}, question.margin);
}

std::vector<double> on_test_scale(std::span<const double> values, Scale scale, double sign) {
  std::vector<double> result(values.size());
  std::ranges::transform(values, result.begin(),
                         [&](double value) { return sign * transformed_value(scale, value); });
  return result;
}

/// The median of each round's values; those of one value a round as they are.
std::vector<double> medians_of_rounds(std::vector<double> values, int repeats) {
  if (repeats <= 1) return values;
  std::vector<double> medians;
  const auto each = static_cast<std::size_t>(repeats);
  for (std::size_t at = 0; at + each <= values.size(); at += each)
    medians.push_back(stats::median(std::span(values).subspan(at, each)));
  return medians;
}

/// What is tested of each round: all values while there are few rounds, else their median.
Replication values_tested(const Replication& repeats, std::size_t values) {
  const auto rounds = static_cast<int>(values) / repeats.baseline;
  return rounds < schedule::fewest_medians ? repeats : Replication{.layouts = repeats.layouts};
}

std::vector<double> differences(const std::vector<double>& a, const std::vector<double>& b) {
  std::vector<double> d(a.size());
  std::ranges::transform(b, a, d.begin(), std::minus{});
  return d;
}

std::variant<stats::WalshAverages, stats::WithinBlockDifferences> all_of(const std::vector<double>& a,
                                                                         const std::vector<double>& b,
                                                                         const Replication& repeats) {
  if (!repeats.is_replicated()) return stats::WalshAverages(differences(a, b));
  return stats::WithinBlockDifferences(a, b, static_cast<std::size_t>(repeats.baseline),
                                       static_cast<std::size_t>(repeats.candidate));
}

}  // namespace

PairedTest::UnclippedTest::UnclippedTest(const std::vector<double>& a, const std::vector<double>& b,
                                         const Replication& repeats)
    : of_(all_of(a, b, repeats)) {}

std::uint64_t PairedTest::UnclippedTest::total() const {
  return std::visit([](const auto& of) { return of.total(); }, of_);
}

std::uint64_t PairedTest::UnclippedTest::at_or_below(double shift) const {
  return std::visit([&](const auto& of) { return of.at_or_below(shift); }, of_);
}

std::uint64_t PairedTest::UnclippedTest::at_or_above(double shift) const {
  return std::visit([&](const auto& of) { return of.at_or_above(shift); }, of_);
}

double PairedTest::UnclippedTest::median() const {
  return std::visit([](const auto& of) { return of.median(); }, of_);
}

stats::Range PairedTest::UnclippedTest::interval(std::uint64_t critical_count) const {
  return std::visit([&](const auto& of) { return of.interval(critical_count); }, of_);
}

PairedTest::PairedTest(std::span<const double> baseline, std::span<const double> candidate,
                       const PairedTestOptions& question)
    : scale_((require_fit(baseline, candidate, question), question.metric.scale)),
      prefer_(question.metric.direction),
      repeats_(question.replication),
      per_round_(values_tested(repeats_, baseline.size())),
      rest_(question.rest),
      single_runs_(question.single_runs),
      all_runs_(question.no_clipping || repeats_.is_replicated() || prefer_ == Direction::neither ||
                baseline.size() > most_clipped || !metrics::noise_is_slow(question.metric)),
      asked_margin_(question.margin),
      margin_(transformed_margin(scale_, question.margin)),
      a_(on_test_scale(baseline, scale_, prefer_ == Direction::higher ? -1 : 1)),
      b_(on_test_scale(candidate, scale_, prefer_ == Direction::higher ? -1 : 1)),
      sign_(prefer_ == Direction::higher ? -1 : 1),
      all_((collapse(), UnclippedTest(a_, b_, per_round_))),
      baseline_typical_(stats::median(baseline)),
      candidate_typical_(stats::median(candidate)) {
  if (!all_runs_) {
    stats::ClippedSignedRank chosen(a_, b_);
    if (chosen.is_clipped()) fast_ = std::move(chosen);
  }
}

void PairedTest::collapse() {
  if (!repeats_.is_replicated() || per_round_.is_replicated()) return;
  a_ = medians_of_rounds(std::move(a_), repeats_.baseline);
  b_ = medians_of_rounds(std::move(b_), repeats_.candidate);
}

double PairedTest::estimate() const {
  if (!estimate_) estimate_ = sign_ * (fast_ ? fast_->estimate() : all_.median());
  return *estimate_;
}

bool PairedTest::beyond_margin() const { return estimate() > margin_ || estimate() < -margin_; }

std::uint64_t PairedTest::count_difference() const {
  return fast_ ? fast_->count(0) : std::min(all_.at_or_below(0), all_.at_or_above(0));
}

std::uint64_t PairedTest::count_equivalence() const {
  if (!fast_) return std::max(all_.at_or_below(-margin_), all_.at_or_above(margin_));
  return std::max({fast_->counts(-margin_).at_or_below, fast_->counts(margin_).at_or_above,
                   all_.at_or_below(-wider_for_typical * margin_),
                   all_.at_or_above(wider_for_typical * margin_)});
}

bool PairedTest::is_within_margin(const Finding& described) const {
  const auto inside = [&](const Interval& interval, double margins) {
    const auto at = [&](double x) { return std::abs(Effect{scale_, x}.transformed()); };
    return std::max(at(interval.low), at(interval.high)) <= margins * margin_;
  };
  return inside(described.interval, 1) &&
         (!described.all_runs || inside(described.all_runs->interval, wider_for_typical));
}

bool PairedTest::lies_beyond_margin() const {
  const auto is_beyond = [half = all_.total() / 2](std::uint64_t above_low, std::uint64_t below_high) {
    return above_low < half || below_high < half;
  };
  if (!fast_) return is_beyond(all_.at_or_above(-margin_), all_.at_or_below(margin_));
  return is_beyond(fast_->counts(-margin_).at_or_above, fast_->counts(margin_).at_or_below);
}

PairedTest PairedTest::of_rounds(const std::vector<double>& a, const std::vector<double>& b) const {
  return {a,
          b,
          {.metric = {.name = "continued", .scale = Scale::difference},
           .margin = margin_,
           .no_clipping = all_runs_,
           .rest = false,
           .replication = per_round_}};
}

bool PairedTest::would_decide(std::uint64_t changed, std::uint64_t same) const {
  return lies_beyond_margin() ? count_difference() < changed : count_equivalence() < same;
}

bool PairedTest::would_call(std::uint64_t critical_count, double limit) const {
  const auto at_or_above = fast_ ? fast_->counts(limit).at_or_above : all_.at_or_above(limit);
  const auto at_or_below = fast_ ? fast_->counts(limit).at_or_below : all_.at_or_below(limit);
  return std::min(at_or_above, at_or_below) < critical_count;
}

RoundsToDecide PairedTest::price(std::uint64_t critical_count) const {
  const auto bounds = interval(critical_count);
  return estimate_rounds(estimate(), 0.5 * (bounds.high - bounds.low), margin_, n());
}

Verdict PairedTest::direction() const {
  return (estimate() < 0) == (prefer_ == Direction::lower) ? Verdict::better : Verdict::worse;
}

std::vector<double> PairedTest::median_differences() const {
  return differences(medians_of_rounds(a_, per_round_.baseline), medians_of_rounds(b_, per_round_.candidate));
}

double PairedTest::p_by_means() const {
  if (!is_early()) return 0;
  const auto d = median_differences();
  if (d.size() < 2) return 1;
  const double mean = stats::mean(d), variance = stats::variance(d), n = static_cast<double>(d.size());
  if (variance == 0) return mean == 0 ? 1 : 0;
  const boost::math::students_t null(n - 1);
  return 2 * cdf(complement(null, std::abs(mean) / std::sqrt(variance / n)));
}

bool PairedTest::is_large_enough() const {
  constexpr double least = 1.25;
  return !is_early() || scale_ != Scale::ratio || std::abs(estimate()) >= std::log(least);
}

stats::Range PairedTest::interval(std::uint64_t critical_count) const {
  const std::array anchors = {0.0, -margin_, margin_};
  if (is_early()) return early_interval(critical_count);
  return fast_ ? fast_->interval(critical_count, anchors) : all_.interval(critical_count);
}

/// What neither of the two tests rejects at the level of this count.
stats::Range PairedTest::early_interval(std::uint64_t critical_count) const {
  auto bounds = all_.interval(critical_count);
  const auto d = median_differences();
  if (critical_count == 0 || d.size() < 2) return bounds;
  const auto level =
      schedule::null_distribution(static_cast<int>(n()), per_round_).p_two_sided(critical_count - 1);
  const auto by_means = stats::mean_interval(d, 1 - level);
  return {std::min(bounds.low, by_means.low), std::max(bounds.high, by_means.high)};
}

Finding PairedTest::to_finding(std::uint64_t critical_count, double level) const {
  const auto turned = [&](const stats::Range& b) { return sign_ < 0 ? stats::Range{-b.high, -b.low} : b; };
  const auto interval = turned(this->interval(critical_count));
  const auto shown = [&](double x) { return Effect::from_transformed(scale_, x); };
  Finding finding;
  finding.rounds = n();
  finding.baseline_typical = baseline_typical_;
  finding.candidate_typical = candidate_typical_;
  finding.margin = asked_margin_;
  finding.replication = repeats_;
  finding.method = is_clipped()               ? TestMethod::clipped_signed_rank
                   : is_early()               ? TestMethod::blocked_ranks_and_t
                   : repeats_.is_replicated() ? TestMethod::signed_rank_of_medians
                                              : TestMethod::signed_rank;
  finding.beyond_margin = interval.low > margin_ || interval.high < -margin_;
  finding.effect = shown(estimate());
  finding.interval = {shown(interval.low).value, shown(interval.high).value, level};
  if (is_clipped()) {
    const auto wide = turned(all_.interval(critical_count));
    finding.all_runs = AllRunsEstimate{.effect = shown(sign_ * all_.median()),
                                       .interval = {shown(wide.low).value, shown(wide.high).value, level}};
  }
  finding.rounds_to_decide = estimate_rounds(estimate(), 0.5 * (interval.high - interval.low), margin_, n());
  describe_rest(finding);
  return finding;
}

RoundsToDecide estimate_rounds(double estimate, double half_width, double margin, std::size_t n) {
  constexpr double most_rounds_proposed = 10000;
  constexpr double to_be_fairly_sure = 1.1;
  if (!std::isfinite(half_width)) return {.obstacle = RoundsToDecide::Obstacle::too_few_rounds};
  const double size = std::abs(estimate);
  const double room = size > margin ? size : margin - size;
  const double needed =
      std::ceil(to_be_fairly_sure * static_cast<double>(n) * std::pow(half_width / room, 2));
  if (!(needed <= most_rounds_proposed)) return {.obstacle = RoundsToDecide::Obstacle::near_margin};
  return {.rounds = std::max(static_cast<int>(needed), static_cast<int>(n) + 1)};
}

Finding judge_paired(std::span<const double> baseline, std::span<const double> candidate,
                     const PairedTestOptions& question) {
  const PairedTest estimate(baseline, candidate, question);
  const auto null = schedule::null_distribution(static_cast<int>(estimate.n()), question.replication);
  const double alpha = 1 - question.level;
  auto finding = estimate.to_finding(null.critical_count(alpha), question.level);
  finding.p = finding.p_adjusted =
      std::max(null.p_two_sided(estimate.count_difference()), estimate.p_by_means());
  finding.p_equivalence = estimate.is_early() ? 1 : null.p_two_sided(estimate.count_equivalence());
  finding.looks = 1;
  const auto rest = estimate.rest();
  const bool alike = rest == PairedTest::Rest::alike || rest == PairedTest::Rest::too_few;
  if (finding.p_equivalence <= alpha && alike) {
    finding.verdict = Verdict::same;
  } else if (finding.p_equivalence <= alpha) {
    finding.rounds_to_decide = RoundsToDecide{.obstacle = RoundsToDecide::Obstacle::slow_runs};
  } else if (finding.p <= alpha && estimate.beyond_margin() && estimate.is_large_enough() &&
             question.metric.direction != Direction::neither) {
    if (estimate.fast_runs_stand_alone() || estimate.rest_opposes(withheld_at))
      finding.rounds_to_decide = RoundsToDecide{.obstacle = RoundsToDecide::Obstacle::fast_and_slow};
    else
      finding.verdict = estimate.direction();
  }
  if (finding.verdict != Verdict::unclear) finding.rounds_to_decide.reset();
  return finding;
}

}  // namespace assay::judge
