#pragma once

#include <cstddef>
#include <cstdint>
#include <vector>

namespace assay::stats {

/// The distribution of a test's count T under no change, from 0 to some largest value and symmetric about the
/// middle. Cost of a question: O(1); of a critical count O(log largest).
class NullDistribution {
 public:
  /// Exact: `chances` of T = 0, 1, … up to the middle (largest / 2, rounded down) at least.
  NullDistribution(std::uint64_t largest, const std::vector<double>& chances);

  /// Approximated by the normal distribution with continuity and the fourth-moment Edgeworth correction.
  /// `excess`: the excess kurtosis, negative for a distribution flatter than the normal one.
  NullDistribution(std::uint64_t largest, double standard_deviation, double excess)
      : largest_(largest), sd_(standard_deviation), excess_(excess) {}

  std::uint64_t largest() const { return largest_; }

  /// P(T ≤ t). t is any whole number: below 0 it is 0, from largest() on it is 1.
  double cdf(std::int64_t t) const;

  /// Two-sided p-value of a lower count t: min(1, 2·P(T ≤ t)).
  double p_two_sided(std::uint64_t t) const;

  /// The critical count #{t : 2·P(T ≤ t) ≤ alpha}: how many of the smallest values of T are too extreme at
  /// the two-sided level alpha. 0 when even T = 0 is not. alpha in (0, 1), else DomainError.
  std::uint64_t critical_count(double alpha) const;

 private:
  std::uint64_t largest_;
  std::vector<double> lower_;  ///< P(T ≤ t) for t up to the middle; empty when approximated
  double sd_ = 0, excess_ = 0;
};

/// Distribution of the signed-rank statistic without ties: T = Σ k·b_k over k = 1 … n with b_k fair and
/// independent 0/1. T runs from 0 to n(n+1)/2 and is symmetric about the middle.
///
/// - Exact up to n = 300, by adding one rank after the other (the same as R's psignrank). Beyond, the normal
///   approximation with continuity and the fourth-moment Edgeworth correction (Fellingham & Stoker 1964); its
///   error in a tail of 0.1 % is below 0.1 % of the tail.
/// - Cost: n³/4 additions once for an exact one.
///
/// Source: Wilcoxon 1945; recursion as in Hollander, Wolfe & Chicken 2014, section 3.1.
class SignedRank : public NullDistribution {
 public:
  static constexpr std::size_t largest_exact = 300;

  /// n from 1 on. Throws DomainError for 0.
  explicit SignedRank(std::size_t n);

  std::size_t n() const { return n_; }

 private:
  std::size_t n_;
};

}  // namespace assay::stats
