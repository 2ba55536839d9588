#pragma once

#include <cstddef>
#include <cstdint>
#include <functional>
#include <span>
#include <vector>

#include "assay/stats/bounds.hpp"

namespace assay::inline v1::stats {

/// A number computed from a sample; must not depend on the order of its values.
using Statistic = std::function<double(std::span<const double>)>;

struct BootstrapOptions {
  double level = 0.95;
  std::size_t draws = 10'000;
  std::uint64_t seed = 1;
  /// Stratum of each value (a round, a machine); resampling stays within strata. Empty: one stratum.
  std::vector<int> strata;
};

/// The statistic of `draws` samples drawn with replacement, in the order of the draws. Draws come from
/// independent streams, one for every 64 of them, so they are the same however the work is split. At least
/// one value, all finite; at least one draw; strata of the sample's length; else DomainError. Cost: draws ·
/// (n + the statistic's own). Source: Efron 1979.
std::vector<double> bootstrap(std::span<const double> values, const Statistic& statistic,
                              const BootstrapOptions& options = {});

/// Interval between the (1 ± level)/2 quantiles (type 7) of the bootstrap. Approximate: too narrow for small
/// n. Source: Efron & Tibshirani 1993, chapter 13.
Bounds percentile_interval(std::span<const double> values, const Statistic& statistic,
                           const BootstrapOptions& options = {});

/// The same, corrected for bias and for a spread that changes with the estimate: second-order accurate for
/// smooth statistics. At least three values. Throws DomainError where the correction has no meaning: for the
/// median and other statistics whose leave-one-out values take two values only (use quantile_interval), and
/// for statistics that never vary. Cost besides the bootstrap: n statistics for the acceleration. Source:
/// Efron 1987.
Bounds bca_interval(std::span<const double> values, const Statistic& statistic,
                    const BootstrapOptions& options = {});

/// p-value of a two-sample statistic under random relabelling: (1 + as extreme)/(1 + draws), where as extreme
/// is |s| at least that of the labels given. Valid at any number of draws. Source: Phipson & Smyth 2010.
double permutation_p_value(
    std::span<const double> x, std::span<const double> y,
    const std::function<double(std::span<const double>, std::span<const double>)>& statistic,
    std::size_t draws = 9999, std::uint64_t seed = 1);

}  // namespace assay::inline v1::stats
