#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <vector>

#include "assay/model/design.hpp"
#include "assay/stats/null_distribution.hpp"

namespace assay::schedule {

/// The round counts at which a campaign of at most `max` judged rounds looks at its data: 8, 14, 28, 56, …
/// and 10, 20, 40, …, those that are at least `min` and, six fold, at most 5·max; then max. For 8 to 60: 8,
/// 10, 14, 20, 28, 40, 60. Throws DomainError unless 1 ≤ min ≤ max.
std::vector<int> planned_looks(int min, int max);

/// The same for a comparison with repeats, which decide sooner: where `min` is 8 or less and below `max`,
/// with 2, 3 and 5 in front (below 7, those that are at least `min`), from the first at which the smallest p
/// is within that look's level.
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

/// The planned looks of a campaign, and the one rule of when a look is due: when a finding's complete pairs
/// reach a planned count. Cost of every call: the number of looks.
class LookSchedule {
 public:
  /// `min` is taken into 1 … max; max is at least 1. Throws DomainError otherwise. With repeats see
  /// planned_looks().
  LookSchedule(int min, int max, const Replication& repeats = {});

  std::span<const int> counts() const { return counts_; }

  /// How extreme counts must be at these looks, see Boundary; made once and kept.
  std::shared_ptr<const StoppingBoundary> boundary(double alpha = 0.05) const {
    return stopping_boundary(counts_, alpha, repeats_);
  }

  /// The place, from 0, of the look that is due at exactly so many pairs.
  std::optional<std::size_t> look_at(int pairs) const;
  /// The place of the last look that so many pairs have reached.
  std::optional<std::size_t> last_look_by(int pairs) const;
  /// The count of the first look that needs more than so many pairs.
  std::optional<int> next_after(int pairs) const;
  /// Whether a look is due at any count from `fewest` to `most`.
  bool is_due(int fewest, int most) const;

 private:
  Replication repeats_;
  std::vector<int> counts_;
};

/// The look at the end of a campaign that ended between planned looks: those already taken keep their
/// critical counts, and what they leave of the error rate goes to this one.
///
/// At level a, a change is called at n rounds when 2·F_n(t) ≤ a − S(a), where S(a) is the sum of the levels
/// that the looks taken have in the planned boundary at level a. Where that is not monotone in a (the levels
/// grow in steps), the smallest value from a up to the boundary's own level is taken, so that p-values are
/// valid at every level up to it, and intervals of one level hold together with those of the planned looks.
///
/// Cost: a sort of all the planned looks' possible counts to make one (some 2000 for 60 rounds), then one
/// pass over them for a p-value. Safe to call from several threads.
///
/// Source: Bonferroni's inequality, as schedule::StoppingBoundary.
class FinalLook {
 public:
  /// `taken`: how many of the planned looks were taken, from the first. n: rounds there are now, more than at
  /// the last of these.
  FinalLook(const StoppingBoundary& planned, std::size_t taken, int n);

  /// p-value over all looks of a count t seen at this one.
  double p_value(std::uint64_t t) const;

  /// The same of a test with any two-sided p-value of its own.
  double p_value_of_level(double level) const;

  /// c: a count below it is too extreme at this level, in (0, 1).
  std::uint64_t critical_count(double alpha) const;

 private:
  /// From level `from` on, the looks taken spend `taken`.
  struct Step {
    double from = 0, taken = 0;
  };
  double largest_not_called(double own_level, double limit) const;

  double alpha_;
  stats::NullDistribution null_;
  std::vector<Step> steps_;
};

/// A look at so many rounds: one that was planned, else the closing one. With `ends`, nothing comes after
/// these rounds, so that also a planned look that is not the last is the closing one.
///
/// alpha: the highest level that is asked for, in (0, 1). Cost: a closing look's. Safe to read from several
/// threads.
class LookAt {
 public:
  LookAt(const LookSchedule& planned, int rounds, double alpha, bool ends = false);

  /// p-value over all looks of a count, and of a test with any two-sided p-value of its own.
  double p_value(std::uint64_t t) const;
  double p_value_of_level(double level) const;

  /// c: a count below it is too extreme at this level, in (0, 1).
  std::uint64_t critical_count(double alpha) const;

  /// The part of the error rate that this look has of statements that are tested otherwise.
  double share() const;

  /// Whether no look comes after it.
  bool is_last() const;

 private:
  std::shared_ptr<const StoppingBoundary> boundary_;
  std::size_t before_ = 0;            ///< looks that were taken before this one
  std::optional<std::size_t> place_;  ///< of a planned one
  std::optional<FinalLook> closing_;
};

}  // namespace assay::schedule
