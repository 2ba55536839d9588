#pragma once

#include <cstddef>
#include <span>
#include <vector>

#include "assay/stats/segments.hpp"

namespace assay::history {

/// A change of level that a sequence suggests: between the values at `before` and `after`, of which any place
/// may be the one.
struct ChangePoint {
  std::size_t before = 0, after = 0;
  double change = 0;  ///< of the levels
};

/// What a history of log ratios suggests, to be measured before it is claimed.
struct ChangePoints {
  std::vector<stats::Segment> levels;  ///< of the values
  std::vector<ChangePoint> steps;      ///< in order
};

/// Cuts a sequence into levels (stats::multiscale_segments), those by their cheapest partition (stats::optimal_partition),
/// and those on and on where Pettitt's test finds a change at 5 %, or where the newest values, up to fifteen,
/// lie more than three standard errors off: segmentation alone needs some sixteen values after a step.
/// Changes below `least` are left out, their levels joined. Where a step may lie is the stretch within which
/// moving it costs less than 3 of the log-likelihood, with Laplace noise as wide as the values' mean
/// deviation from their levels.
///
/// Pure. Throws DomainError for values that are not finite. Cost: that of multiscale_segments().
ChangePoints find_change_points(std::span<const double> values, double least);

}  // namespace assay::history
