#pragma once

#include <optional>
#include <string>
#include <vector>

#include "assay/model/log.hpp"

namespace assay::history {

/// A workload at a setting, and the metric that is looked at there, by name.
struct SeriesKey {
  std::string workload, setting, metric;
  bool operator==(const SeriesKey&) const = default;
};

/// The effects of a campaign's rounds, candidate `later` against its baseline, on the tests' scale and turned
/// so that above 0 is worse: one for each whole round, of repeats the first. Empty where the campaign has
/// none there. Cost: one pass over its trials.
std::vector<double> regression_effects(const Record& record, CandidateId later, const SeriesKey& where);

/// What a round of two commits takes, in seconds: twice the mean wall time of the campaign's trials; 0.1
/// where it has none.
double seconds_of_pair(const Record& record);

/// 1 where a larger value is worse, else −1.
double regression_sign(const Metric& metric);

}  // namespace assay::history
