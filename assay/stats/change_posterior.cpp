#include "assay/stats/change_posterior.hpp"

#include <algorithm>
#include <array>
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

constexpr double wild_share = 0.05, wild_width = 10;

/// ln of the density of a standard value at z, up to a constant.
double log_density(double z) {
  const double usual = (1 - wild_share) * std::exp(-z * z / 2);
  const double wild = wild_share / wild_width * std::exp(-z * z / (2 * wild_width * wild_width));
  return std::log(usual + wild);
}

double log_likelihood(std::span<const double> values, double level, double scale) {
  // Very far out both parts vanish: what is farther tells no more.
  constexpr double farthest = 300;
  double sum = 0;
  for (const double value : values)
    sum += log_density(std::clamp((value - level) / scale, -farthest, farthest));
  return sum;
}

/// ln(eᵃ + eᵇ).
double log_sum(double a, double b) { return std::max(a, b) + std::log1p(std::exp(-std::fabs(a - b))); }

constexpr std::size_t levels_of_change = 3;
constexpr double more_steps = 0.25;  ///< of them in a whole line, each way to rise

double entropy(double p) {
  if (p <= 0 || p >= 1) return 0;
  return -(p * std::log2(p) + (1 - p) * std::log2(1 - p));
}

double normal_density(double z) { return std::exp(-z * z / 2) / std::sqrt(2 * std::acos(-1.0)); }

}  // namespace

ChangePosterior::ChangePosterior(std::size_t last) : values_(last + 1) {
  if (last == 0) throw DomainError("a change needs a place to be at");
}

void ChangePosterior::add(std::size_t place, double value) {
  if (place >= values_.size()) throw DomainError("there is no such place", place);
  if (!std::isfinite(value)) throw DomainError("a value is not finite", place, value);
  values_[place].push_back(value);
}

std::size_t ChangePosterior::count() const {
  return std::accumulate(values_.begin(), values_.end(), std::size_t{0},
                         [](std::size_t sum, const auto& here) { return sum + here.size(); });
}

double ChangePosterior::scale(double fallback) const {
  std::vector<double> differences;
  double freedom = 0;
  for (const auto& here : values_) {
    freedom += here.empty() ? 0 : static_cast<double>(here.size()) - 1;
    for (std::size_t i = 0; i < here.size(); ++i)
      for (std::size_t j = i + 1; j < here.size(); ++j) differences.push_back(std::fabs(here[i] - here[j]));
  }
  constexpr double of_normal = 1.0483;  // 1 / (√2 · the normal quantile at 3/4)
  const double found = differences.empty() ? 0 : of_normal * median(differences);
  // Few values may lie nearer together than they scatter, and would make it too sure.
  constexpr double doubt = 3;
  return found > 0 ? found * (1 + doubt / freedom) : fallback;
}

std::vector<double> ChangePosterior::probabilities(const ChangeModel& model) const {
  if (!(model.step > 0) || !(model.scale > 0)) throw DomainError("step and scale must be above zero");
  const double total = std::max(model.total, model.step);
  const std::array<double, levels_of_change> levels = {model.step, (model.step + total) / 2, total};
  constexpr std::array<double, levels_of_change> likely = {0.6, 0.2, 0.2};
  constexpr std::size_t states = levels_of_change;
  // Of all that lies from a place on, by the level there: levels never fall, and rise again in a few places
  // only.
  const double rises = more_steps / static_cast<double>(last());
  std::array<double, states> from_here{};
  std::vector<double> log_p(values_.size(), 0);
  std::vector<double> unchanged(values_.size(), 0);  // the places before, at the old level
  for (std::size_t place = 1; place < values_.size(); ++place)
    unchanged[place] =
        unchanged[place - 1] + (place > 1 ? log_likelihood(values_[place - 1], 0, model.scale) : 0);
  for (std::size_t place = values_.size() - 1; place >= 1; --place) {
    auto here = from_here;
    if (place + 1 < values_.size()) {
      here[0] = log_sum(from_here[0] + std::log(1 - 2 * rises),
                        std::log(rises) + log_sum(from_here[1], from_here[2]));
      here[1] = log_sum(from_here[1] + std::log(1 - rises), std::log(rises) + from_here[2]);
      for (std::size_t i = 0; i < states; ++i)
        here[i] += log_likelihood(values_[place], levels[i], model.scale);
    }
    from_here = here;
    double changed = std::log(likely[0]) + here[0];
    for (std::size_t i = 1; i < states; ++i) changed = log_sum(changed, std::log(likely[i]) + here[i]);
    log_p[place] = unchanged[place] + changed;
  }
  const double most = *std::max_element(log_p.begin() + 1, log_p.end());
  std::vector<double> p(values_.size(), 0);
  for (std::size_t place = 1; place < p.size(); ++place) p[place] = std::exp(log_p[place] - most);
  const double all = std::accumulate(p.begin(), p.end(), 0.0);
  for (double& one : p) one /= all;
  return p;
}

double mutual_information(double before, double effect, std::size_t pairs) {
  if (!(before >= 0 && before <= 1)) throw DomainError("a probability must lie within 0 and 1", {}, before);
  if (before <= 0 || before >= 1 || effect <= 0 || pairs == 0) return 0;
  const double shift = effect * std::sqrt(static_cast<double>(pairs));
  constexpr double beyond = 6;
  constexpr int steps = 120;
  const double from = -beyond, width = (shift + 2 * beyond) / steps;
  double left = 0;
  for (int i = 0; i <= steps; ++i) {
    const double x = from + i * width;
    const double changed = before * normal_density(x - shift), same = (1 - before) * normal_density(x);
    if (changed + same <= 0) continue;
    const double weight = i == 0 || i == steps ? 1 : i % 2 == 1 ? 4 : 2;
    left += weight * (changed + same) * entropy(changed / (changed + same));
  }
  return std::max(0.0, entropy(before) - left * width / 3);
}

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
