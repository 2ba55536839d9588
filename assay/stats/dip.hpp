#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <span>
#include <vector>

#include "assay/stats/preconditions.hpp"

namespace assay::stats {

/// Hartigan's dip: the largest distance between the empirical distribution and the nearest one with a single
/// mode. From 1/(2n) to 1/4. At least one value. Cost: a sort, then O(n). Source: Hartigan & Hartigan 1985;
/// Hartigan 1985.
double dip(std::span<const double> values);

/// Test of one mode against more for samples of one size: the dips of `draws` samples of n uniform values,
/// the least favourable single mode, drawn once. p of a sample's dip is (1 + as large)/(1 + draws).
class DipTest {
 public:
  /// n and draws at least 1; else DomainError. Cost: draws sorts of n values.
  explicit DipTest(std::size_t n, std::size_t draws = 2000, std::uint64_t seed = 1);

  /// statistic: the dip. Throws DomainError unless there are n values. Cost: a sort of them.
  TestResult test(std::span<const double> values) const;

 private:
  std::size_t n_;
  std::vector<double> dips_;  // sorted
};

/// One for so many values, made once and kept; safe to call from several threads.
std::shared_ptr<const DipTest> dip_test_for(std::size_t n, std::size_t draws);

}  // namespace assay::stats
