#pragma once

#include <vector>

#include "assay/campaign/processes.hpp"
#include "assay/measure/surroundings.hpp"
#include "assay/metrics/catalogue.hpp"

namespace assay::inline v1::campaign {

/// The readings of Assay's own metrics that one run gives, for the metrics that can be measured here.
void add_readings(const measure::ProcessResult& result, const measure::Surroundings& beside,
                  const ProcessCell& cell, const metrics::Index& ids, Trial& trial);

/// Reads the plan's metrics from what the trial wrote, each with its series. What goes wrong makes the trial
/// failed, with the reason.
void add_own_metrics(const measure::ProcessResult& result, const std::string& directory,
                     const ProcessCell& cell, Trial& trial);

/// Empty when there is no such file.
std::optional<FileStamp> stamp_of(const std::string& path);

}  // namespace assay::inline v1::campaign
