// What an estimate says of the runs that are not typical: slow ones, and the mean of all.

#include <algorithm>
#include <cmath>
#include <iterator>
#include <vector>

#include "assay/judge/paired_test.hpp"
#include "assay/schedule/interim_looks.hpp"
#include "assay/stats/change_posterior.hpp"
#include "assay/stats/contingency.hpp"
#include "assay/stats/location.hpp"

namespace assay::judge {
namespace {

std::vector<double> exponentials(const std::vector<double>& logs) {
  std::vector<double> values(logs.size());
  std::ranges::transform(logs, values.begin(), [](double x) { return std::exp(x); });
  return values;
}

}  // namespace

/// A sign-flip test of how far each side's quick runs lie below the median of all, squared, the change taken
/// off, which swaps of the two leave exact.
bool PairedTest::fast_runs_scatter_alike() const {
  constexpr double level = 0.05;
  const double shift = fast_->estimate();
  std::vector<double> all = a_;
  for (const double b : b_) all.push_back(b - shift);
  const double middle = stats::median(all);
  std::vector<double> differences(n());
  for (std::size_t r = 0; r < n(); ++r)
    differences[r] =
        std::pow(std::max(0.0, middle - (b_[r] - shift)), 2) - std::pow(std::max(0.0, middle - a_[r]), 2);
  const double more = stats::sign_flip_tail(differences);
  for (auto& difference : differences) difference = -difference;
  return 2 * std::min(more, stats::sign_flip_tail(differences)) > level;
}

bool PairedTest::fast_runs_stand_alone() const {
  constexpr double level = 0.05;
  if (all_runs_) return false;
  if (fast_ && !fast_runs_scatter_alike()) {
    const auto critical = schedule::stopping_boundary({static_cast<int>(n())}, level)->critical_count(0);
    const auto all = all_.interval(critical);
    if (fast_->estimate() < 0 ? all.high >= 0 : all.low <= 0) return true;
  }
  const int direction = sign_ * estimate() < 0 ? -1 : 1;
  double smaller = 1;
  for (const std::size_t rank : {std::size_t{1}, (n() + 7) / 8}) {
    const auto part = stats::test_slow_rounds(a_, b_, 0, rank);
    if (part.direction != -direction) return false;
    smaller = std::min(smaller, part.p);
  }
  return 2 * smaller <= level;
}

bool PairedTest::has_rest() const {
  constexpr std::size_t fewest = 6;
  return rest_ && scale_ == Scale::ratio && prefer_ != Direction::neither && !repeats_.is_replicated() &&
         n() >= fewest;
}

/// Of values on the tests' scale, so that slow is what is not preferred.
const std::optional<SlowRuns>& PairedTest::slow() const {
  constexpr double beyond = 1.5;
  if (slow_ || !has_rest()) return slow_;
  const auto share = stats::slow_share(a_, b_, std::log(beyond));
  const auto& more = share.b >= share.a ? b_ : a_;
  std::vector<double> beyond_it;
  std::ranges::copy_if(more, std::back_inserter(beyond_it), [&](double x) { return x > share.limit; });
  slow_ = SlowRuns{.limit = std::exp(sign_ * share.limit),
                   .baseline = share.a,
                   .candidate = share.b,
                   .only_baseline = share.only_a,
                   .only_candidate = share.only_b,
                   .times = beyond_it.empty() ? 0 : std::exp(stats::median(beyond_it) - stats::median(more)),
                   .p_more = share.p_more(),
                   .p_fewer = share.p_fewer(),
                   .left_open = stats::SlowShare::left_open(n())};
  rules_out_slow_ = share.rules_out(tolerated_slow_runs, true) && share.rules_out(tolerated_slow_runs, false);
  return slow_;
}

const std::optional<MeanShift>& PairedTest::mean() const {
  if (mean_ || !has_rest()) return mean_;
  const auto a = exponentials(a_), b = exponentials(b_);
  const stats::MeanChange change(a, b, true);
  mean_ =
      MeanShift{.effect = {scale_, sign_ < 0 ? 1 / change.estimate() : change.estimate()},
                .interval = {},
                .p_more = change.p_above(1),
                .p_less = change.p_below(1),
                .p_beyond = std::min(change.p_above(std::exp(margin_)), change.p_below(std::exp(-margin_)))};
  return mean_;
}

bool PairedTest::rest_opposes(double level) const {
  if (!has_rest()) return false;
  const bool falls = sign_ * estimate() < 0;  // on the tests' scale: lower is better
  return (falls ? slow()->p_more : slow()->p_fewer) <= level ||
         (falls ? mean()->p_more : mean()->p_less) <= level;
}

PairedTest::Rest PairedTest::rest() const {
  if (!has_rest()) return Rest::alike;
  if (std::min(slow()->p_more, slow()->p_fewer) <= withheld_at || mean()->p_beyond <= withheld_at)
    return Rest::unlike;
  if (rules_out_slow_ || !single_runs_) return Rest::alike;
  const bool could = n() >= rounds_that_show_slow_runs;
  return could || std::min(slow()->p_more, slow()->p_fewer) <= leaning_at ? Rest::open : Rest::too_few;
}

PairedTest::Shown PairedTest::shown_of_rest(double level) const {
  Shown shown;
  if (!has_rest()) return shown;
  const auto called = [level](double more, double less) {
    return 2 * more <= level ? 1 : 2 * less <= level ? -1 : 0;
  };
  return {.slow = called(slow()->p_more, slow()->p_fewer), .mean = called(mean()->p_more, mean()->p_less)};
}

void PairedTest::describe_rest(Finding& finding) const {
  if (!has_rest()) return;
  constexpr double level = 0.95;
  finding.slow = slow();
  finding.mean = mean();
  const auto a = exponentials(a_), b = exponentials(b_);
  const auto bounds = stats::MeanChange(a, b, true).interval(level);
  finding.mean->interval =
      sign_ < 0 ? Interval{1 / bounds.high, 1 / bounds.low, level} : Interval{bounds.low, bounds.high, level};
  constexpr std::size_t fewest = 10;
  if (n() < fewest) return;
  const auto value = [&](double x) { return std::exp(sign_ * x); };
  for (int decile = 1; decile <= 9; ++decile) {
    const double at = decile / 10.0, on_scale = sign_ < 0 ? 1 - at : at;
    finding.deciles.push_back({.at = at,
                               .baseline = value(stats::quantile(a_, on_scale)),
                               .candidate = value(stats::quantile(b_, on_scale))});
  }
}

bool rest_is_unlike(const Finding& finding, double level) {
  return (finding.slow && std::min(finding.slow->p_more, finding.slow->p_fewer) <= level) ||
         (finding.mean && finding.mean->p_beyond <= level);
}

}  // namespace assay::judge
