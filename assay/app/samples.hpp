#pragma once

#include <string>

#include "assay/model/results.hpp"

namespace assay::app {

/// A contest's judged readings as JSON lines, in the order of the rounds (docs/samples.md).
std::string to_samples(const Record& record);

/// Writes them to the descriptor that ASSAY_SAMPLES names, if it names one. Throws Error when they can't be
/// written.
void write_samples(const Record& record);

}  // namespace assay::app
