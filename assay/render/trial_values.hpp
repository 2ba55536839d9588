#pragma once

#include <map>
#include <utility>
#include <vector>

#include "assay/model/findings.hpp"

namespace assay::render {

/// The values of a campaign's judged trials on its watched metrics, of servers also on
/// rates and latencies, by cell, each with its round (0: none),
/// in the order in which they ran. Cost: one pass over the trials.
class TrialValues {
 public:
  using Series = std::vector<std::pair<int, double>>;

  explicit TrialValues(const Record& record);

  /// Empty for a cell without any.
  const Series& of(MetricId metric, CellId cell) const;

 private:
  std::map<std::pair<MetricId, CellId>, Series> series_;
  Series none_;
};

/// The values alone.
std::vector<double> values_of(const TrialValues::Series& series);

}  // namespace assay::render
