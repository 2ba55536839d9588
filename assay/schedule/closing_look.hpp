#pragma once

#include <cstddef>
#include <cstdint>
#include <vector>

#include "assay/schedule/looks.hpp"
#include "assay/stats/symmetric_counts.hpp"

namespace assay::schedule {

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

}  // namespace assay::schedule
