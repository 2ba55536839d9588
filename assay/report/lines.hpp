#pragma once

#include <string>
#include <vector>

#include "assay/model/findings.hpp"

namespace assay::report {

// What stands below the blocks of a text: lines, or none.

/// What no change at all looked like: the effects of each twin.
std::vector<std::string> twin_lines(const Findings& all);

/// How cost grows over sizes, and where a candidate's crosses its baseline's; how throughput scales over
/// threads.
std::vector<std::string> trend_lines(const Findings& all);

/// Requirements: met, broken and undecided, with the margin to spare.
std::vector<std::string> requirement_lines(const Findings& all);

/// Where first calls differ from steady ones: what they cost, and from how many calls on a candidate with a
/// dearer first call pays.
std::vector<std::string> first_call_lines(const Findings& all);

/// Of services: the latencies of all requests together, a line for each comparison.
std::vector<std::string> latency_lines(const Findings& all);

/// What measuring again made of each finding, a line each.
std::vector<std::string> confirmation_lines(const Findings& all);

}  // namespace assay::report
