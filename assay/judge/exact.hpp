#pragma once

#include <optional>
#include <vector>

#include "assay/model/finding.hpp"
#include "assay/model/observations.hpp"

namespace assay::judge {

/// Compares an exact metric directly: each cell's one value against its baseline's, with margin 0. Values
/// come from builds and from judged trials alike. Empty when a cell's values differ among themselves, so
/// that the metric is not exact after all and has to be judged as a noisy one.
///
/// Values of trials are decided when there are as many as the least number of rounds, those of builds at
/// once. Equal is `same`, anything else `better` or `worse`; the interval is the effect itself. Contrasts
/// with a value on one side only, or with one side zero, have rounds = 0.
std::optional<std::vector<Finding>> compare_exactly(const Observations& evidence, MetricId metric,
                                                    bool twins);

}  // namespace assay::judge
