#pragma once

#include <vector>

#include "assay/measure/system_load.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/runners/program_runner.hpp"

namespace assay::runners {

/// The readings of Assay's own metrics that one run gives, for the metrics that can be measured here and mean
/// something of a program that is run this way.
void add_program_metrics(const measure::ProcessResult& result, const measure::LoadDuring& beside,
                         const ProgramCell& cell, const metrics::MetricIndex& ids, Way way, Trial& trial);

/// Reads the plan's metrics from what the trial wrote, each with its series. What goes wrong makes the trial
/// failed, with the reason.
void add_user_metrics(const measure::ProcessResult& result, const std::string& directory,
                      const ProgramCell& cell, Trial& trial);

/// Empty when there is no such file.
std::optional<FileStamp> stamp(const std::string& path);

}  // namespace assay::runners
