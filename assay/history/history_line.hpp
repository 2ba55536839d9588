#pragma once

#include <cstddef>
#include <map>
#include <string>

#include "assay/history/measured_values.hpp"
#include "assay/model/history.hpp"

namespace assay::history {

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
