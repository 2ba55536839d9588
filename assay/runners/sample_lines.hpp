#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "assay/model/id_table.hpp"
#include "assay/model/log.hpp"
#include "assay/model/metric.hpp"
#include "assay/model/setting.hpp"

namespace assay::runners {

/// What one run of a contest program printed about one of its functions at one setting: a part of the program
/// that is compared for itself. Its setting has the factor "function" besides the program's own.
struct SampleGroup {
  Setting setting;
  struct Value {
    std::string metric, unit;
    double value = 0;  ///< the median of its rounds
  };
  std::vector<Value> values;  ///< in the order in which metrics first came
};

/// What was read of a program's samples (docs/samples.md), or why nothing was.
struct ParsedSamples {
  std::string problem;              ///< in words, with the line; empty: there are parts
  std::vector<SampleGroup> groups;  ///< in the order in which they first came
};

/// Reads the lines of a run. Twins of its functions are left out. Cost: linear.
ParsedSamples parse_samples(std::string_view lines);

/// What a run of the whole program says of one of its parts, `cell`, whose setting in the samples this is:
/// its own readings, and none of the process as a whole. Absent where it has no such part.
Trial trial_from_samples(CellId cell, const Trial& whole, const ParsedSamples& samples,
                         const std::string& setting, const IdTable<MetricId, Metric>& metrics);

/// How a metric of samples is judged: as the catalogue has the one of this name, else less is better, but of
/// rates (a unit that ends in "/s").
Metric metric_of_samples(const std::string& name, const std::string& unit);

}  // namespace assay::runners
