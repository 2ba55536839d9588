#include "assay/schedule/looks.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>
#include <map>
#include <mutex>
#include <tuple>
#include <utility>

#include "assay/model/error.hpp"
#include "assay/stats/blocked_ranks.hpp"
#include "assay/stats/require.hpp"
#include "assay/stats/signed_rank.hpp"

namespace assay::schedule {
namespace {

constexpr int first_look = 8, ordinary = 7;  // a least number of rounds that nobody chose

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

}  // namespace assay::schedule
