#include "assay/stats/mean_change.hpp"

#include <algorithm>
#include <bit>
#include <cmath>
#include <cstddef>
#include <functional>
#include <limits>
#include <numbers>
#include <numeric>
#include <utility>
#include <vector>

#include "assay/model/error.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/preconditions.hpp"

namespace assay::stats {
namespace {

constexpr std::size_t most_enumerated = 12, largest_ones = 6;

/// Calls `each` with the sum of every choice of signs of these sizes.
template <class Each>
void all_sums(std::span<const double> sizes, Each&& each) {
  double sum = std::accumulate(sizes.begin(), sizes.end(), 0.0);
  std::vector<bool> negative(sizes.size(), false);
  const std::size_t all = std::size_t{1} << sizes.size();
  each(sum);
  for (std::size_t i = 1; i < all; ++i) {  // a Gray code: one sign changes at a time
    const auto at = static_cast<std::size_t>(std::countr_zero(i));
    sum += negative[at] ? 2 * sizes[at] : -2 * sizes[at];
    negative[at] = !negative[at];
    each(sum);
  }
}

/// Tails of a sum of many small values with random signs.
class NearlyNormal {
 public:
  explicit NearlyNormal(std::span<const double> sizes) {
    double squares = 0, fourths = 0;
    for (const double d : sizes) {
      squares += d * d;
      fourths += d * d * d * d;
    }
    sd_ = std::sqrt(squares);
    if (squares > 0) excess_ = -2 * fourths / (squares * squares);
  }

  double at_least(double sum) const {
    if (sd_ == 0) return sum <= 0 ? 1 : 0;
    const double z = sum / sd_;
    const double tail = std::erfc(z / std::numbers::sqrt2) / 2;
    const double density = std::exp(-z * z / 2) * std::numbers::inv_sqrtpi / std::numbers::sqrt2;
    const double corrected = tail + excess_ / 24 * (z * z * z - 3 * z) * density;
    return std::clamp(corrected, 0.5 * tail, 1.0);
  }

 private:
  double sd_ = 0, excess_ = 0;
};

/// Where an interval is looked for.
struct Search {
  double estimate = 0, span = 0;  ///< how far single values lie from the estimate
  double lowest = 0;
  double alpha = 0;
  std::size_t rounds = 0;
};

/// The lower end (sign 1), or the upper one (−1): how far from the estimate until the test rejects.
template <class Tail>
double end_of_interval(Tail&& tail, const Search& at, double sign) {
  const double open = sign > 0 ? at.lowest : std::numeric_limits<double>::infinity();
  if (at.span == 0)
    return std::ldexp(1.0, -static_cast<int>(std::min<std::size_t>(at.rounds, 60))) > at.alpha ? open
                                                                                               : at.estimate;
  double near = 0, far = 0.01 * at.span;
  const auto reaches_lowest = [&] { return sign > 0 && at.estimate - far <= at.lowest; };
  constexpr int most_doublings = 24;
  for (int i = 0; tail(at.estimate - sign * far, sign) > at.alpha; ++i) {
    if (i == most_doublings || reaches_lowest()) return open;
    near = far;
    far *= 2;
    if (reaches_lowest()) far = at.estimate - at.lowest;
  }
  constexpr int halvings = 24;
  for (int i = 0; i < halvings && far - near > 1e-5 * at.span; ++i) {
    const double middle = 0.5 * (near + far);
    (tail(at.estimate - sign * middle, sign) > at.alpha ? near : far) = middle;
  }
  return at.estimate - sign * far;
}

}  // namespace

double sign_flip_tail(std::span<const double> differences) {
  require_finite(differences);
  std::vector<double> sizes;
  double sum = 0, all = 0;
  for (const double d : differences) {
    sum += d;
    all += std::abs(d);
    if (d != 0) sizes.push_back(std::abs(d));
  }
  if (sizes.empty()) return 1;
  const double at_least = sum - 1e-12 * all;  // sums of the same terms in another order count as equal
  double chance = 0;
  if (sizes.size() <= most_enumerated) {
    all_sums(sizes, [&](double s) { chance += s >= at_least ? 1 : 0; });
    return chance / static_cast<double>(std::size_t{1} << sizes.size());
  }
  std::ranges::nth_element(sizes, sizes.begin() + largest_ones, std::greater{});
  const std::span<const double> all_sizes = sizes;
  const NearlyNormal rest(all_sizes.subspan(largest_ones));
  all_sums(all_sizes.first(largest_ones), [&](double s) { chance += rest.at_least(at_least - s); });
  return std::min(1.0, chance / static_cast<double>(std::size_t{1} << largest_ones));
}

MeanChange::MeanChange(std::span<const double> a, std::span<const double> b, bool ratio)
    : a_(a), b_(b), ratio_(ratio) {
  require_same_length(a, b);
  ratio ? require_positive(a) : require_finite(a);
  ratio ? require_positive(b) : require_finite(b);
  estimate_ = ratio ? mean(b) / mean(a) : mean(b) - mean(a);
}

double MeanChange::tail(double c, double sign) const {
  std::vector<double> differences(a_.size());
  for (std::size_t r = 0; r < a_.size(); ++r)
    differences[r] = sign * (ratio_ ? b_[r] - c * a_[r] : b_[r] - a_[r] - c);
  return sign_flip_tail(differences);
}

double MeanChange::p_above(double c) const { return tail(c, 1); }
double MeanChange::p_below(double c) const { return tail(c, -1); }

/// The lower end (sign 1), or the upper one (−1): how far from the estimate until the test rejects.
double MeanChange::end(double level, double sign) const {
  double span = 0;
  for (std::size_t r = 0; r < a_.size(); ++r)
    span = std::max(span, std::abs(ratio_ ? b_[r] - estimate_ * a_[r] : b_[r] - a_[r] - estimate_));
  if (ratio_) span /= mean(a_);
  return end_of_interval([this](double c, double of) { return tail(c, of); },
                         {.estimate = estimate_,
                          .span = span,
                          .lowest = ratio_ ? 0 : -std::numeric_limits<double>::infinity(),
                          .alpha = (1 - level) / 2,
                          .rounds = a_.size()},
                         sign);
}

Range MeanChange::interval(double level) const {
  require_level(level);
  return {end(level, 1), end(level, -1)};
}

StratifiedMean::StratifiedMean(std::vector<std::vector<double>> differences, std::vector<double> weights)
    : differences_(std::move(differences)), weights_(std::move(weights)) {
  if (differences_.size() != weights_.size() || weights_.empty())
    throw DomainError("a weighted mean needs as many weights as series");
  require_positive(weights_);
  for (std::size_t s = 0; s < weights_.size(); ++s) estimate_ += weights_[s] * mean(differences_[s]);
}

double StratifiedMean::tail(double c, double sign) const {
  std::vector<double> all;
  for (std::size_t s = 0; s < weights_.size(); ++s)
    for (const double d : differences_[s])
      all.push_back(sign * weights_[s] / static_cast<double>(differences_[s].size()) * (d - c));
  return sign_flip_tail(all);
}

Range StratifiedMean::interval(double level) const {
  require_level(level);
  Search at{.estimate = estimate_,
            .lowest = -std::numeric_limits<double>::infinity(),
            .alpha = (1 - level) / 2,
            .rounds = 0};
  for (const auto& series : differences_) {
    at.rounds += series.size();
    for (const double d : series) at.span = std::max(at.span, std::abs(d - estimate_));
  }
  const auto tail_at = [this](double c, double of) { return tail(c, of); };
  return {end_of_interval(tail_at, at, 1), end_of_interval(tail_at, at, -1)};
}

}  // namespace assay::stats
