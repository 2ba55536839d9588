#include "assay/schedule/looks.hpp"

#include <algorithm>
#include <map>
#include <mutex>
#include <utility>

#include "assay/model/error.hpp"
#include "assay/stats/require.hpp"

namespace assay::inline v1::schedule {
namespace {

/// Up to here crossing is computed by the walk; beyond, levels are added.
constexpr int longest_walk = 200;

}  // namespace

std::vector<int> planned_looks(int min, int max) {
  if (min < 1 || min > max) throw DomainError("looks need 1 ≤ min ≤ max", {}, min);
  std::vector<int> looks;
  for (const int start : {7, 10})
    for (std::int64_t n = start; 6 * n <= 5 * static_cast<std::int64_t>(max); n *= 2)
      if (n >= min) looks.push_back(static_cast<int>(n));
  looks.push_back(max);
  std::ranges::sort(looks);
  return looks;
}

double crossing_chance(std::span<const int> looks, std::span<const std::uint64_t> counts) {
  double crossed = 0;
  // Chances of T = t for t up to the middle, among walks that have not crossed; the upper half mirrors them.
  std::vector<double> chance = {1.0}, next;
  std::size_t largest = 0, k = 0;  // of T
  for (int n = 1; n <= looks.back() && n <= longest_walk; ++n) {
    const auto step = static_cast<std::size_t>(n);
    const std::size_t grown = largest + step, half = grown / 2 + 1;
    next.resize(half);
    // Beyond the old middle its mirror image stands, up to the old largest.
    const std::size_t middle = std::min(half, chance.size()), top = std::min(half, largest + 1);
    for (std::size_t t = 0; t < middle; ++t) next[t] = 0.5 * chance[t];
    for (std::size_t t = middle; t < top; ++t) next[t] = 0.5 * chance[largest - t];
    for (std::size_t t = std::max(middle, top); t < half; ++t) next[t] = 0;
    for (std::size_t t = step; t < half; ++t) next[t] += 0.5 * chance[t - step];
    chance.swap(next);
    largest = grown;
    if (n != looks[k]) continue;
    const auto out = std::min(static_cast<std::size_t>(counts[k]), half);
    for (std::size_t t = 0; t < out; ++t) {
      crossed += (2 * t == largest ? 1 : 2) * chance[t];
      chance[t] = 0;
    }
    if (++k == looks.size()) break;
  }
  for (; k < looks.size(); ++k)
    if (counts[k] > 0)
      crossed += stats::SignedRank(static_cast<std::size_t>(looks[k])).p_two_sided(counts[k] - 1);
  return std::min(1.0, crossed);
}

Boundary::Boundary(std::vector<int> looks, double alpha) : looks_(std::move(looks)) {
  stats::require_level(alpha);
  if (looks_.empty() || looks_.front() < 1) throw DomainError("a boundary needs looks at one round or more");
  for (std::size_t k = 1; k < looks_.size(); ++k)
    if (looks_[k] <= looks_[k - 1]) throw DomainError("looks must grow", k, looks_[k]);
  for (const int n : looks_) null_.emplace_back(static_cast<std::size_t>(n));
  critical_ = counts_at(largest_tuning(alpha));
  error_rate_ = crossing_chance(looks_, critical_);
}

std::vector<std::uint64_t> Boundary::counts_at(double u) const {
  std::vector<std::uint64_t> counts;
  for (std::size_t k = 0; k < looks_.size(); ++k) {
    const double level = weight(k) * u;
    // 2F reaches 1 in the middle, where both sides meet: no count beyond it.
    auto c = level <= 0 ? 0 : level >= 1 ? null_[k].largest() / 2 + 1 : null_[k].critical_count(level);
    if (capped(k)) c = std::min<std::uint64_t>(c, 1);
    counts.push_back(c);
  }
  return counts;
}

double Boundary::largest_tuning(double alpha) const {
  double low = 0, high = alpha;
  if (crossing_chance(looks_, counts_at(high)) <= alpha) return high;
  // J grows with u in steps: halve until no count changes between the two.
  while (counts_at(low) != counts_at(high)) {
    const double middle = 0.5 * (low + high);
    if (middle <= low || middle >= high) break;
    (crossing_chance(looks_, counts_at(middle)) <= alpha ? low : high) = middle;
  }
  return low;
}

std::uint64_t Boundary::critical_count(std::size_t k, double alpha) const {
  stats::require_level(alpha);
  return counts_at(largest_tuning(alpha))[k];
}

double Boundary::ceiling() const {
  double sum = 0;
  for (std::size_t k = 0; k < looks_.size(); ++k)
    if (critical_[k] > 0) sum += null_[k].p_two_sided(critical_[k] - 1);
  return sum;
}

double Boundary::p_value(std::size_t k, std::uint64_t t) const {
  const double level = null_[k].p_two_sided(t);
  if (level >= 1 || (capped(k) && t > 0)) return 1;
  const std::scoped_lock lock(guard_);
  const auto [entry, fresh] = known_.try_emplace({k, t}, 0.0);
  // A hair more, so that rounding can't lose the very count that was seen.
  if (fresh) entry->second = crossing_chance(looks_, counts_at(level / weight(k) * (1 + 1e-12)));
  return entry->second;
}

std::shared_ptr<const Boundary> boundary_for(const std::vector<int>& looks, double alpha) {
  static std::mutex guard;
  static std::map<std::pair<std::vector<int>, double>, std::shared_ptr<const Boundary>> known;
  constexpr std::size_t most_kept = 64;  // more than one campaign asks for
  const auto key = std::pair(looks, alpha);
  {
    const std::scoped_lock lock(guard);
    if (const auto found = known.find(key); found != known.end()) return found->second;
  }
  auto made = std::make_shared<const Boundary>(looks, alpha);  // outside the lock: it takes a while
  const std::scoped_lock lock(guard);
  if (known.size() >= most_kept) known.clear();
  return known.try_emplace(key, std::move(made)).first->second;
}

}  // namespace assay::inline v1::schedule
