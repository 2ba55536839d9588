#pragma once

#include <cstddef>
#include <string>
#include <vector>

#include "assay/model/results.hpp"

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

/// Lines of one kind, under a word for what they have in common.
struct LineGroup {
  std::string name;
  std::vector<std::string> lines;
};

/// What several findings say together: overall changes, the best first; reversals along factors; rates that
/// servers sustain; the order of four candidates or more; failure rates; changes of spread.
std::vector<LineGroup> aggregate_lines(const Findings& findings);

/// Of overall changes over four comparisons or more: each comparison's change, and drawn to the common one.
std::vector<std::string> part_lines(const Findings& findings);

/// So many lines of each kind at most, and how many more there are.
std::vector<std::string> limit_each(const std::vector<LineGroup>& kinds, std::size_t most);

/// Up to which level of a factor that has numbers for levels each candidate's server sustains its rate of
/// requests, a line for each workload and choice of the other factors; none where all sustain all.
std::vector<std::string> sustained_lines(const Findings& all);

}  // namespace assay::report
