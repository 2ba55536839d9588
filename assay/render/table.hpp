#pragma once

#include <string>

#include "assay/render/text.hpp"
#include "assay/report/report.hpp"

namespace assay::inline v1::render {

/// A block: every setting's baseline and candidates, their typical values, changes and intervals on one axis.
std::string block_text(const report::Block& block, bool names_workload, const TextStyle& style);

/// The terminal code that begins a verdict's colour: blue for better, orange for worse, none otherwise.
std::string colour_of(Verdict verdict);

}  // namespace assay::inline v1::render
