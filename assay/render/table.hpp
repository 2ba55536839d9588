#pragma once

#include <string>

#include "assay/model/findings.hpp"
#include "assay/render/text.hpp"

namespace assay::inline v1::render {

/// The block of one workload on one metric: every setting's baseline and candidates, their typical values,
/// changes and intervals on one axis. Empty when there is nothing to show.
std::string block(const Findings& findings, WorkloadId workload, MetricId metric, const TextStyle& style);

/// `+` better, `!` worse, `=` same, `?` unclear, with the word; coloured when the style says so.
std::string verdict_text(Verdict verdict, const TextStyle& style);

/// The terminal code that begins a verdict's colour: blue for better, orange for worse, none otherwise.
std::string colour_of(Verdict verdict);

}  // namespace assay::inline v1::render
