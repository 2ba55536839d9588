#pragma once

#include <string>

#include "assay/model/results.hpp"

namespace assay::render {

/// Findings as one HTML file that opens from disk with no network: sentences first, then a table and the
/// intervals for each workload and metric, every trial, trials over the rounds, growth, what was left out,
/// how far to trust it, and how to repeat it. `record` gives the trials. Charts are Vega-Lite specifications,
/// drawn by libraries that are part of the file (about 0.8 MB); from 3000 trials on in a chart they are
/// summed up first, as more can't be seen. All text is escaped. Cost: linear in the trials.
std::string to_page(const Findings& findings, const Record& record);

}  // namespace assay::render
