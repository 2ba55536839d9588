#pragma once

#include <string>

#include "assay/model/finding.hpp"
#include "assay/model/metric.hpp"

namespace assay::report {

/// A verdict on a metric in a word for a column: "faster", "more", "same", "unclear".
std::string verdict_word(const Metric& metric, Verdict verdict);

/// A change, better or worse, in a sentence that goes on with "than": "faster", "more memory", "a smaller
/// program".
std::string verdict_phrase(const Metric& metric, Verdict verdict);

}  // namespace assay::report
