#pragma once

#include <cstddef>
#include <string>
#include <vector>

#include "assay/model/findings.hpp"

namespace assay::report {

/// Lines of one kind, under a word for what they have in common.
struct LineGroup {
  std::string name;
  std::vector<std::string> lines;
};

/// What is said over several findings at once: overall changes, the best first; turns along factors;
/// rates that servers sustain; groups
/// that can't be told apart; failure rates; changes of spread.
std::vector<LineGroup> aggregate_lines(const Findings& findings);

/// Of overall changes over four comparisons or more: each comparison's change, and drawn to the common one.
std::vector<std::string> part_lines(const Findings& findings);

/// So many lines of each kind at most, and how many more there are.
std::vector<std::string> limit_each(const std::vector<LineGroup>& kinds, std::size_t most);

}  // namespace assay::report
