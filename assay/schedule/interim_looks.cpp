#include "assay/schedule/interim_looks.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>
#include <map>
#include <mutex>
#include <tuple>
#include <utility>

#include "assay/model/error.hpp"
#include "assay/stats/null_distribution.hpp"
#include "assay/stats/preconditions.hpp"
#include "assay/stats/van_elteren.hpp"

namespace assay::schedule {

namespace {

constexpr int first_look = 8, ordinary = 7;  // a least number of rounds that was not chosen

std::vector<double> weights_of(std::size_t looks) {
  constexpr std::array early = {6.0, 3.0, 1.5, 1.5, 1.5, 1.5};
  constexpr double late = 0.75;
  std::vector<double> weights;
  double sum = 0;
  for (std::size_t k = 0; k + 1 < looks; ++k) {
    weights.push_back(k < early.size() ? early[k]
                                       : std::ldexp(late, -static_cast<int>((k - early.size()) / 2)));
    sum += weights.back();
  }
  weights.push_back(looks == 1 ? 1 : sum);
  return weights;
}

}  // namespace

std::vector<int> planned_looks(int min, int max) {
  if (min < 1 || min > max) throw DomainError("looks need 1 ≤ min ≤ max", {}, min);
  std::vector<int> looks;
  const std::int64_t latest = 5 * static_cast<std::int64_t>(max);
  for (const int start : {7, 10})
    for (std::int64_t n = start; 6 * n <= latest; n *= 2) {
      const auto look = std::max(n, std::int64_t{first_look});
      if (look >= min && 6 * look <= latest) looks.push_back(static_cast<int>(look));
    }
  looks.push_back(max);
  std::ranges::sort(looks);
  return looks;
}

std::vector<int> planned_looks(int min, int max, const Replication& repeats) {
  auto looks = planned_looks(min, max);
  if (!repeats.is_replicated() || min > first_look || min == max) return looks;
  for (const int n : {5, 3, 2})
    if (6 * n <= 5 * max && n < looks.front() && (min >= ordinary || n >= min))
      looks.insert(looks.begin(), n);
  while (looks.size() > 1 && stopping_boundary(looks, 0.05, repeats)->critical_count(0) == 0)
    looks.erase(looks.begin());
  return looks;
}

stats::NullDistribution null_distribution(int rounds, const Replication& repeats) {
  const auto n = static_cast<std::size_t>(repeats.independent_values(rounds));
  if (!repeats.is_replicated() || rounds >= fewest_medians) return stats::SignedRank(n);
  return stats::BlockedRanks(n, static_cast<std::size_t>(repeats.baseline),
                             static_cast<std::size_t>(repeats.candidate));
}

StoppingBoundary::StoppingBoundary(std::vector<int> looks, double alpha, const Replication& repeats)
    : looks_(std::move(looks)), weights_(weights_of(looks_.size())), alpha_(alpha), repeats_(repeats) {
  stats::require_level(alpha);
  if (looks_.empty() || looks_.front() < 1) throw DomainError("a boundary needs looks at one round or more");
  for (std::size_t k = 1; k < looks_.size(); ++k)
    if (looks_[k] <= looks_[k - 1]) throw DomainError("looks must grow", k, looks_[k]);
  for (const int n : looks_) null_.push_back(null_distribution(n, repeats));
  critical_ = counts_at(largest_tuning(alpha));
}

std::vector<std::uint64_t> StoppingBoundary::counts_at(double u) const {
  std::vector<std::uint64_t> counts;
  for (std::size_t k = 0; k < looks_.size(); ++k) {
    const double level = weights_[k] * u;
    // 2F reaches 1 in the middle, where both sides meet: no count beyond it.
    counts.push_back(level <= 0   ? 0
                     : level >= 1 ? null_[k].largest() / 2 + 1
                                  : null_[k].critical_count(level));
  }
  return counts;
}

double StoppingBoundary::sum_of(const std::vector<std::uint64_t>& counts) const {
  double sum = 0;
  for (std::size_t k = 0; k < looks_.size(); ++k)
    if (counts[k] > 0) sum += null_[k].p_two_sided(counts[k] - 1);
  return sum;
}

double StoppingBoundary::largest_tuning(double alpha) const {
  double low = 0, high = alpha;
  if (sum_of(counts_at(high)) <= alpha) return high;
  // The sum grows with u in steps: halve until no count changes between the two.
  while (counts_at(low) != counts_at(high)) {
    const double middle = 0.5 * (low + high);
    if (middle <= low || middle >= high) break;
    (sum_of(counts_at(middle)) <= alpha ? low : high) = middle;
  }
  return low;
}

std::uint64_t StoppingBoundary::critical_count(std::size_t k, double alpha) const {
  stats::require_level(alpha);
  return counts_at(largest_tuning(alpha))[k];
}

double StoppingBoundary::p_value(std::size_t k, std::uint64_t t) const {
  return p_value_of_level(k, null_[k].p_two_sided(t));
}

double StoppingBoundary::p_value_of_level(std::size_t k, double level) const {
  if (level >= 1) return 1;
  // A hair more, so that rounding can't lose the very count that was seen.
  return std::min(1.0, sum_of(counts_at(level / weights_[k] * (1 + 1e-12))));
}

double StoppingBoundary::share_of(std::size_t k) const {
  double sum = 0;
  for (const double weight : weights_) sum += weight;
  return weights_[k] / sum;
}

std::shared_ptr<const StoppingBoundary> stopping_boundary(const std::vector<int>& looks, double alpha,
                                                          const Replication& repeats) {
  static std::mutex guard;
  static std::map<std::tuple<std::vector<int>, double, Replication>, std::shared_ptr<const StoppingBoundary>>
      known;
  constexpr std::size_t most_kept = 64;  // more than one campaign asks for
  const auto key = std::tuple(looks, alpha, repeats);
  {
    const std::scoped_lock lock(guard);
    if (const auto found = known.find(key); found != known.end()) return found->second;
  }
  auto made =
      std::make_shared<const StoppingBoundary>(looks, alpha, repeats);  // outside the lock: it takes a while
  const std::scoped_lock lock(guard);
  if (known.size() >= most_kept) known.clear();
  return known.try_emplace(key, std::move(made)).first->second;
}

LookSchedule::LookSchedule(int min, int max, const Replication& repeats)
    : repeats_(repeats), counts_(planned_looks(std::max(1, std::min(min, max)), max, repeats)) {}

std::optional<std::size_t> LookSchedule::look_at(int pairs) const {
  const auto found = std::ranges::find(counts_, pairs);
  if (found == counts_.end()) return {};
  return static_cast<std::size_t>(found - counts_.begin());
}

std::optional<std::size_t> LookSchedule::last_look_by(int pairs) const {
  const auto beyond = std::ranges::upper_bound(counts_, pairs);
  if (beyond == counts_.begin()) return {};
  return static_cast<std::size_t>(beyond - counts_.begin()) - 1;
}

std::optional<int> LookSchedule::next_after(int pairs) const {
  const auto beyond = std::ranges::upper_bound(counts_, pairs);
  return beyond == counts_.end() ? std::nullopt : std::optional(*beyond);
}

bool LookSchedule::is_due(int fewest, int most) const {
  return std::ranges::any_of(counts_, [&](int count) { return count >= fewest && count <= most; });
}

namespace {

/// A tuning of the boundary from which look `look` calls one count more, and its level then.
struct Growth {
  double tuning = 0;
  std::size_t look = 0;
  double level = 0;
};

}  // namespace

FinalLook::FinalLook(const StoppingBoundary& planned, std::size_t taken, int n)
    : alpha_(planned.alpha_), null_(null_distribution(n, planned.repeats_)) {
  std::vector<Growth> growth;
  const auto looks = planned.looks();
  for (std::size_t k = 0; k < looks.size(); ++k) {
    const auto& null = planned.null_[k];
    const auto most = null.largest() / 2 + 1;
    // Of many counts, some at a time: a little too much is taken to be spent then.
    constexpr std::uint64_t enough = 4000;
    const auto stride = 1 + most / enough;
    for (std::uint64_t t = 0; t < most; t += stride)
      growth.push_back({.tuning = null.p_two_sided(t) / planned.weights_[k],
                        .look = k,
                        .level = null.p_two_sided(std::min(t + stride, most) - 1)});
  }
  std::ranges::stable_sort(growth, {}, &Growth::tuning);
  std::vector<double> levels(looks.size(), 0.0);
  double all = 0, of_taken = 0;
  steps_.push_back({});
  for (std::size_t i = 0; i < growth.size() && all <= 1; ++i) {
    const double more = growth[i].level - levels[growth[i].look];
    levels[growth[i].look] = growth[i].level;
    all += more;
    if (growth[i].look < taken) of_taken += more;
    if (i + 1 == growth.size() || growth[i + 1].tuning > growth[i].tuning) steps_.push_back({all, of_taken});
  }
}

/// The largest level up to `limit` at which a count is not called whose own level is this.
double FinalLook::largest_not_called(double own_level, double limit) const {
  double largest = 0;
  for (std::size_t i = 0; i < steps_.size() && steps_[i].from < limit; ++i) {
    const double until = std::min(limit, i + 1 < steps_.size() ? steps_[i + 1].from : limit);
    const double called_from = own_level + steps_[i].taken;
    if (called_from > steps_[i].from) largest = std::max(largest, std::min(until, called_from));
  }
  return largest;
}

double FinalLook::p_value(std::uint64_t t) const { return p_value_of_level(null_.p_two_sided(t)); }

double FinalLook::p_value_of_level(double own_level) const {
  const double p = largest_not_called(own_level, alpha_);
  return p < alpha_ ? p : std::min(1.0, largest_not_called(own_level, 2.0));
}

std::uint64_t FinalLook::critical_count(double alpha) const {
  std::uint64_t low = 0, high = null_.largest() / 2 + 1;
  while (low < high) {
    const auto middle = low + (high - low) / 2;
    if (p_value(middle) <= alpha)
      low = middle + 1;
    else
      high = middle;
  }
  return low;
}

LookAt::LookAt(const LookSchedule& planned, int rounds, double alpha, bool ends)
    : boundary_(planned.boundary(alpha)), place_(planned.look_at(rounds)) {
  const auto last = planned.last_look_by(rounds);
  before_ = place_ ? *place_ : last ? *last + 1 : 0;
  if (ends && !is_last()) place_.reset();
  if (!place_) closing_.emplace(*boundary_, before_, rounds);
}

double LookAt::p_value(std::uint64_t t) const {
  return place_ ? boundary_->p_value(*place_, t) : closing_->p_value(t);
}

double LookAt::p_value_of_level(double level) const {
  return place_ ? boundary_->p_value_of_level(*place_, level) : closing_->p_value_of_level(level);
}

std::uint64_t LookAt::critical_count(double alpha) const {
  return place_ ? boundary_->critical_count(*place_, alpha) : closing_->critical_count(alpha);
}

double LookAt::share() const {
  if (place_) return boundary_->share_of(*place_);
  double left = 1;
  for (std::size_t k = 0; k < before_; ++k) left -= boundary_->share_of(k);
  return left;
}

bool LookAt::is_last() const { return !place_ || *place_ + 1 == boundary_->looks().size(); }

}  // namespace assay::schedule
