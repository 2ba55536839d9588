#pragma once

#include <string>
#include <vector>

#include "assay/model/findings.hpp"

namespace assay::report {

/// What a sentence says: its first words, that a verdict's colour is for, and the rest.
struct SentenceText {
  std::string head, rest;
};

/// What is told of one candidate's watched findings, at least one, against one baseline: "faster than list"
/// and ": wall time −49 % (−50 … −48 %)", or over several "faster than list" and " from 800 locks on (wall
/// time −12 % to −40 %), slower at 200 locks (…), but more memory (…)".
SentenceText sentence(const Findings& findings, const std::vector<const Finding*>& of_one_candidate);

/// "mean +15 % (+2.1 … +28 %); 6 of its 60 runs took over 1.5 times as long (list: 0)"; empty where it is
/// not told.
std::string rest_figures(const Findings& findings, const Finding& finding);

}  // namespace assay::report
