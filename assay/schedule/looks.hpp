#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <span>
#include <vector>

#include "assay/model/repeats.hpp"
#include "assay/stats/symmetric_counts.hpp"

namespace assay::schedule {

/// The round counts at which a campaign of at most `max` judged rounds looks at its data: 8, 14, 28, 56, …
/// and 10, 20, 40, …, those that are at least `min` and, six fold, at most 5·max; then max. For 8 to 60: 8,
/// 10, 14, 20, 28, 40, 60. Throws DomainError unless 1 ≤ min ≤ max.
std::vector<int> planned_looks(int min, int max);

/// The same for a contrast with repeats, which decide sooner: where `min` is 8 or less and below `max`, with
/// 2, 3 and 5 in front (below 7, those that are at least `min`), from the first at which the smallest p is
/// within that look's level.
std::vector<int> planned_looks(int min, int max, const Replication& repeats);

/// How extreme the counts of a test, the signed-rank test or, in early rounds with repeats, the blocked rank
/// test, must be at each of several looks at growing data, so that the chance of ever calling no change a
/// change stays at or below alpha.
///
/// Look k, at n rounds, calls a change when t < c_k(u) = #{t : 2·F_n(t) ≤ w_k·u}. The weights w are 6, 3,
/// and 1.5 four times, in order of the looks; then ¾ twice, half of that twice, and so on; that of the last
/// look is the sum of all others, so that about half of alpha is kept for it. u is as large as can be with
/// sum(u) ≤ alpha, the sum of the looks' own levels. Whatever the statistics at the looks have to do with
/// each other, they cross no more often than that, and the intervals of all looks hold together.
///
/// Cost: some 60 sums over the looks to make one, one for a p-value. Safe to call from several threads.
///
/// Source: Bonferroni's inequality; group-sequential testing with an error-spending function, Lan & DeMets
/// 1983, Jennison & Turnbull 2000, chapter 7; the weights are Assay's own. Beside 6, 2, 1, 1, … with no more
/// for the last look, the last interval is a fifth narrower, and a large effect takes two rounds more.
class StoppingBoundary {
 public:
  /// `looks`: round counts, from 1 on, growing. alpha in (0, 1). Throws DomainError otherwise.
  explicit StoppingBoundary(std::vector<int> looks, double alpha = 0.05, const Replication& repeats = {});

  std::span<const int> looks() const { return looks_; }

  /// c of look k (from 0) at the boundary's alpha; 0 when that look can call nothing.
  std::uint64_t critical_count(std::size_t k) const { return critical_[k]; }

  /// c of look k for another alpha, as for an interval of another level.
  std::uint64_t critical_count(std::size_t k, double alpha) const;

  /// The sum of the looks' own levels, at most alpha.
  double error_rate() const { return sum_of(critical_); }

  /// p-value over all looks of a count t seen at look k: sum(2·F_n(t)/w_k), at most 1. At or below alpha
  /// exactly when t < critical_count(k).
  double p_value(std::size_t k, std::uint64_t t) const;

  /// The same of a test with any two-sided p-value of its own at look k, in (0, 1].
  double p_value_of_level(std::size_t k, double level) const;

  /// The part of the error rate that is meant for look k: w_k over the sum of all weights. For statements
  /// that share the looks and are tested otherwise.
  double share_of(std::size_t k) const;

 private:
  friend class FinalLook;
  std::vector<std::uint64_t> counts_at(double u) const;
  double sum_of(const std::vector<std::uint64_t>& counts) const;
  double largest_tuning(double alpha) const;

  std::vector<int> looks_;
  std::vector<double> weights_;
  double alpha_;
  Replication repeats_;
  std::vector<stats::NullDistribution> null_;
  std::vector<std::uint64_t> critical_;
};

/// With fewer rounds than these, repeats within rounds are judged by the blocked rank test; from then on by
/// the signed-rank test of the rounds' medians.
inline constexpr int fewest_medians = 6;

/// The distribution of the test's count after so many rounds; of more than there are layouts, that of the
/// layouts' means. Throws DomainError below one.
stats::NullDistribution null_distribution(int rounds, const Replication& repeats = {});

/// The boundary for these looks and alpha, made once and kept; safe to call from several threads.
std::shared_ptr<const StoppingBoundary> stopping_boundary(const std::vector<int>& looks, double alpha = 0.05,
                                                          const Replication& repeats = {});

}  // namespace assay::schedule
