#pragma once

#include <cstddef>
#include <map>
#include <span>
#include <string>
#include <vector>

#include "assay/history/measured_values.hpp"
#include "assay/model/history.hpp"
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

/// Cuts a sequence into levels (stats::multiscale_segments), those by their cheapest partition
/// (stats::optimal_partition), and those on and on where Pettitt's test finds a change at 5 %, or where the
/// newest values, up to fifteen, lie more than three standard errors off: segmentation alone needs some
/// sixteen values after a step. Changes below `least` are left out, their levels joined. Where a step may lie
/// is the stretch within which moving it costs less than 3 of the log-likelihood, with Laplace noise as wide
/// as the values' mean deviation from their levels.
///
/// Pure. Throws DomainError for values that are not finite. Cost: that of multiscale_segments().
ChangePoints find_change_points(std::span<const double> values, double least);

/// One line of a history from what the ledger has: a point for each commit with values of this definition of
/// its workload, several of them joined; those of other eras moved by the commits that were measured in both;
/// levels and proposed steps. `places`: of the commits, by full id. `era`: the one that values stand in;
/// where it has none, that of the newest value. Pure. Cost: that of find_change_points().
HistoryLine make_line(const MeasuredValues& archive, const SeriesKey& where, const std::string& definition,
                      const std::map<std::string, std::size_t>& places, std::string era, double margin);

/// The level of some points of a line, to below `end`: pooled with what they differ by more than their own
/// errors (stats/inverse_variance.hpp). REQUIRES: there is one. Pure.
HistoryLevel level_of(const HistoryLine& line, std::size_t first, std::size_t end);

/// Joins neighbouring levels between which a step was refuted.
/// REQUIRES: steps[i] lies between levels[i] and levels[i + 1], as make_line() makes them; not so afterwards.
void merge_levels(HistoryLine& line);

}  // namespace assay::history
