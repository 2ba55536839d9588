#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include "assay/stats/null_distribution.hpp"
#include "assay/stats/preconditions.hpp"

namespace assay::stats {

/// Distribution, under no change and without ties, of the blocked rank statistic T = Σ U_r over n rounds:
/// U_r is how many of the x·y pairs of x values of one side and y of the other within a round have the second
/// at or below the first. In a round whose order was drawn at random U_r has the Mann–Whitney distribution
/// (with x = 1 it is uniform on 0 … y), and rounds are independent. T runs from 0 to n·x·y.
///
/// - Exact, by convolution, while (n·x·y)² is below 6·10⁷; beyond, the normal approximation with the
///   fourth-moment correction, whose error in a tail of 0.1 % is below 0.1 % of the tail.
/// - Cost: (n·x·y)²/2 additions at most.
///
/// Source: van Elteren 1960, with equal weights; Mann & Whitney 1947 for a round's distribution.
class BlockedRanks : public NullDistribution {
 public:
  /// All from 1 on. Throws DomainError otherwise.
  BlockedRanks(std::size_t rounds, std::size_t x, std::size_t y);
};

/// All differences b − a of values within a round, n·x·y of them, in order of size. Their counts at or below
/// and at or above a shift are the blocked rank statistic of data shifted so, so that test and interval can't
/// disagree. Ties count for both sides, against a call.
///
/// Source: Hodges & Lehmann 1963, within blocks.
class WithinBlockDifferences {
 public:
  /// `a`: x values of each round, one round after the other; `b`: y. Finite, and at least one complete round.
  /// Throws DomainError otherwise. Cost: a sort of the differences.
  WithinBlockDifferences(std::span<const double> a, std::span<const double> b, std::size_t x, std::size_t y);

  std::uint64_t total() const { return sorted_.size(); }

  /// How many differences are at or below `shift`, and at or above it. Cost: O(log total).
  std::uint64_t at_or_below(double shift) const;
  std::uint64_t at_or_above(double shift) const;

  /// The estimate of a constant shift of b against a.
  double median() const;

  /// From the c-th smallest difference to the c-th largest; the whole line when c = 0. For c up to half of
  /// all, rounded up; else DomainError. With c = BlockedRanks(n, x, y).critical_count(α) it covers a constant
  /// shift with a chance of at least 1 − α.
  Range interval(std::uint64_t c) const;

 private:
  std::vector<double> sorted_;
};

}  // namespace assay::stats
