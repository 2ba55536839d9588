#pragma once

#include <string>

#include "assay/model/findings.hpp"

namespace assay::inline v1::program {

/// A contest's judged readings as JSON lines, in the order of the rounds (docs/samples.md).
std::string to_samples(const Record& record);

/// Writes them to the descriptor that ASSAY_SAMPLES names, if it names one. Throws Error when they can't be
/// written.
void hand_over_samples(const Record& record);

}  // namespace assay::inline v1::program
