#pragma once

#include <string>
#include <vector>

#include "assay/model/findings.hpp"

namespace assay::inline v1::report {

/// What a sentence says: its first words, that a verdict's colour is for, and the rest.
struct Told {
  std::string head, rest;
};

/// What is told of one candidate's watched findings, at least one, against one baseline: "faster than list"
/// and ": wall time −49 % (−50 … −48 %)", or over several "faster than list" and " from 800 locks on (wall
/// time −12 % to −40 %), slower at 200 locks (…), but more memory (…)".
Told told_of(const Findings& findings, const std::vector<const Finding*>& of_one_candidate);

}  // namespace assay::inline v1::report
