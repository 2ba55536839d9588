#pragma once

#include <cstddef>
#include <cstdint>
#include <span>

namespace assay::inline v1::stats {

// Tests of no change on differences d_i, i = 1 … n: under it, each d_i is as likely to be positive as
// negative (sign-symmetric), whatever its size. Two-sided p-values. All differences finite, at least one,
// else DomainError.

/// What a test says. `exact`: computed from the full distribution, not from an approximation.
struct TestResult {
  double statistic = 0;
  double p = 1;
  bool exact = true;
};

/// Signed-rank test with zeros ranked along and then dropped, and ties given their mean rank. statistic: the
/// sum of the ranks of the positive differences. Exact, given the ranks, up to n = 1000 (O(n³) additions at
/// most; 200 values with ties take a few ms); beyond, the normal approximation with the variance of the ranks
/// at hand. All differences zero: p = 1. Two-sided: the chance of a rank sum at least as far from its centre.
/// Source: Wilcoxon 1945; Pratt 1959.
TestResult signed_rank_test(std::span<const double> differences);

/// Sign test: zeros are left out; exact binomial. statistic: how many are positive. Source: Fisher 1935.
TestResult sign_test(std::span<const double> differences);

/// Permutation test on the mean: every difference keeps its size and takes either sign. statistic: the mean.
/// Exact by going through all 2^n signs up to n = 20; beyond, from `draws` random ones, with
/// p = (1 + as far as seen)/(1 + draws), which is valid at any number of draws (Phipson & Smyth 2010).
/// Cost: 2^n or n·draws. Source: Fisher 1935.
TestResult paired_permutation_test(std::span<const double> differences, std::size_t draws = 9999,
                                   std::uint64_t seed = 1);

}  // namespace assay::inline v1::stats
